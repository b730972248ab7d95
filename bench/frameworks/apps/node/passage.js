function quote(number) {
  const total = number * 2;
  return total;
}
module.exports = { quote };
