const DOORS = { north: ['guest', 'crew'], south: ['guest', 'crew'], engine: ['crew'] };

exports.mayOpen = ({ kind }, door) => {
  const kinds = DOORS[door] ?? [];
  return kinds.includes(kind);
};
