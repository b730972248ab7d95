export function quote(number: number): number {
  const total: number = number * 2;
  return total;
}
