/** Formal charges as CIF writes them: after the element in the symbol of an atom type, such as Fe3+ or Cl1-. */

/** Symbol of the atom type of an element with a formal charge (in units of the elementary charge). */
export const typeSymbol = (element: string, charge?: number): string =>
  charge ? `${element}${Math.abs(charge)}${charge > 0 ? '+' : '-'}` : element;

/** The charge that a type symbol ends with: "Fe3+", "O2-", "Na+" or "Fe+3". Undefined where it has none, or says zero. */
export function chargeOf(symbol: string): number | undefined {
  const m = /^[A-Za-z]{1,2}(?:(\d*)([+-])|([+-])(\d+))$/.exec(symbol.trim());
  if (!m) return undefined;
  const size = Number(m[1] || m[4] || 1);
  return size ? ((m[2] ?? m[3]) === '-' ? -size : size) : undefined;
}
