/** Values with standard uncertainties: reading "1.234(5)" and printing by the rule 1–19. */

export interface Measured {
  readonly value: number;
  readonly su: number;
}

/** Characters: more than any number with its s.u. that was measured. */
const LONGEST = 200;

/** Reads a number with an optional s.u. in parentheses that applies to its last digits; undefined for anything else. */
export function parseMeasured(text: string): Measured | undefined {
  if (text.length > LONGEST) return undefined;
  const m = /^([+-]?(?:\d+(?:\.(\d*))?|\.(\d+)))(?:[eE]([+-]?\d+))?(?:\((\d+)\))?$/.exec(text.trim());
  if (!m) return undefined;
  const digits = (m[2] ?? m[3] ?? '').length;
  const power = m[4] ? 10 ** Number(m[4]) : 1;
  const value = Number(m[1]) * power;
  const su = m[5] ? Number(m[5]) * 10 ** -digits * power : 0;
  // An exponent beyond all numbers is a slip of the pen, not a measurement.
  return Number.isFinite(value) && Number.isFinite(su) ? { value, su } : undefined;
}

/**
 * Prints value(s.u.) so that the s.u. lies between 2 and 19 in its last digits; without an s.u., `digits` decimals.
 * Source: the rule of 19 (Acta Cryst., Notes for authors).
 */
export function formatMeasured(value: number, su?: number, digits = 4): string {
  if (!Number.isFinite(value)) return '?';
  if (!su || !(su > 0) || !Number.isFinite(su)) return value.toFixed(digits);
  // Two digits of the s.u. when they are 10 to 19, one otherwise.
  let decimals = 1 - Math.floor(Math.log10(su));
  let n = Math.round(su * 10 ** decimals);
  if (n > 19) {
    decimals--;
    n = Math.round(su * 10 ** decimals);
  }
  if (decimals > 12) return value.toFixed(12);
  if (decimals <= 0) {
    const scale = 10 ** -decimals;
    return `${Math.round(value / scale) * scale}(${n * scale})`;
  }
  return `${value.toFixed(decimals)}(${n})`;
}

/** Prints value(s.u.) with every digit that matters kept: at least `digits` decimals, the s.u. in units of the last. For files that are read again rather than by people. */
export function formatExactly(value: number, su?: number, digits = 8): string {
  if (!Number.isFinite(value)) return '?';
  return su && su > 0 && Number.isFinite(su)
    ? `${value.toFixed(digits)}(${Math.max(1, Math.round(su * 10 ** digits))})`
    : value.toFixed(digits);
}
