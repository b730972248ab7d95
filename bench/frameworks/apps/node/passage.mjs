export function quote(number) {
  const total = number * 2;
  return total;
}
