/** Atomic units (CODATA 2018). */

/** Å in one bohr. */
export const BOHR = 0.529177210903;

/** kJ mol⁻¹ in one hartree. */
export const KJ_PER_HARTREE = 2625.4996;
