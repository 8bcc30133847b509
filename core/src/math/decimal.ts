/** A number to some decimals as people read it: with a true minus sign, and none before a zero. Not for files. */
export function decimal(x: number, digits: number): string {
  const text = Math.abs(x).toFixed(digits);
  return x < 0 && Number(text) !== 0 ? `−${text}` : text;
}
