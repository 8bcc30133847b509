/** Sublattices of ℤ³ that grow by generators: rank, membership, a basis in echelon form. */
import type { Vec3 } from './matrix3.ts';

/** The set of whole-number sums of its generators. */
export class IntegerLattice {
  /** In echelon form: leading entries positive, each to the right of the one before. */
  private rows: Vec3[] = [];

  get rank(): number {
    return this.rows.length;
  }

  get basis(): readonly Vec3[] {
    return this.rows;
  }

  private static lead(v: Vec3): number {
    return v[0] ? 0 : v[1] ? 1 : v[2] ? 2 : 3;
  }

  /** Takes a generator in (Euclid on the leading entries). */
  add(v: Vec3): void {
    let rest = v;
    for (;;) {
      const lead = IntegerLattice.lead(rest);
      if (lead === 3) return;
      const i = this.rows.findIndex((r) => IntegerLattice.lead(r) === lead);
      if (i < 0) {
        const positive: Vec3 = rest[lead]! > 0 ? rest : [-rest[0], -rest[1], -rest[2]];
        this.rows = [...this.rows, positive].sort((p, q) => IntegerLattice.lead(p) - IntegerLattice.lead(q));
        return;
      }
      const row = this.rows[i]!;
      const times = Math.floor(rest[lead]! / row[lead]!);
      const left = minus(rest, row, times);
      if (!left[lead]) rest = left;
      else {
        // The remainder is smaller: it becomes the row, and the row is reduced by it in the next turn.
        this.rows[i] = left;
        rest = row;
      }
    }
  }

  /** What is left of a vector modulo the lattice: zero for its members, the same for all vectors of a coset. */
  reduce(v: Vec3): Vec3 {
    let rest = v;
    for (const row of this.rows) {
      const lead = IntegerLattice.lead(row);
      rest = minus(rest, row, Math.floor(rest[lead]! / row[lead]!));
    }
    return rest;
  }
}

const minus = (v: Vec3, row: Vec3, times: number): Vec3 => [
  v[0] - times * row[0],
  v[1] - times * row[1],
  v[2] - times * row[2],
];
