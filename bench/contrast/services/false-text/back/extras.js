function cabinPrice(people) {
  const cabins = Math.ceil(people / 4);
  return cabins * 40;
}

function mealPrice(people, cabin) {
  const each = cabin ? 9 : 11;
  return people * each;
}

module.exports = { cabinPrice, mealPrice };
