/** The longest of 1, 2 and 5 times a power of ten that is no longer than a length. */
export function roundLength(most: number): number {
  const ten = 10 ** Math.floor(Math.log10(most));
  const times = [5, 2, 1].find((one) => one * ten <= most * (1 + 1e-9)) ?? 1;
  return times * ten;
}
