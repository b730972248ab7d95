// What somebody wants to give for it; who says nothing of points gives those that they have.

function readWish(body, member) {
  const wish = {
    points: body.points || member.points,
    pay: body.pay ?? 0,
    seat: body.seat ?? null,
  };
  if (wish.points > member.points) {
    wish.points = member.points;
  }
  return wish;
}

module.exports = { readWish };
