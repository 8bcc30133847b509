/** Form factors of sites from the shares of their atoms. */
import { orthogonalization, type Cell } from '../crystal/cell.ts';
import type { FormFactors } from '../crystal/form-factors.ts';
import { apply3, inverse3, transpose3, type Mat3, type Vec3 } from '../math/matrix3.ts';
import { Crew, rangeOf, sharedDoubles, type Workshop } from '../quantum/crew.ts';
import { BOHR } from '../math/units.ts';
import { ShareTransform, type AtomShare } from '../quantum/stockholder.ts';
import type { TaskContext } from '../task-context.ts';

/** The share of an atom of a molecule, and the rotation that led to it from the site of the model. */
export interface SiteShare {
  readonly share: AtomShare;
  readonly rotation: Mat3;
}

/** What every thread needs; plain data, `out` in shared memory. */
export interface FactorsPlan extends Pick<FormFactors, 'h' | 'k' | 'l'> {
  readonly kind: 'factors';
  readonly sites: readonly SiteShare[];
  readonly cell: Cell;
  /** Of each site: real parts, then imaginary parts. */
  readonly out: Float64Array;
}

/** Parts that the triples of a site are taken in. */
const PER_SITE = 4;

/** Form factors that are made before a thread has begun. */
const FEW_FACTORS = 5000;

export class FactorsWorkshop implements Workshop {
  constructor(readonly plan: FactorsPlan) {}

  async part(_step: number, index: number, context: TaskContext): Promise<void> {
    const { sites, cell, h, k, l, out } = this.plan,
      count = h.length,
      site = Math.floor(index / PER_SITE);
    const { share, rotation } = sites[site]!;
    const transform = new ShareTransform(share);
    // f of the site at h is f of the atom at h R⁻¹; q = 2π M⁻ᵀ h.
    const back = transpose3(inverse3(rotation)),
      toReciprocal = transpose3(inverse3(orthogonalization(cell)));
    const value = new Float64Array(2),
      at = 2 * count * site;
    const [first, end] = rangeOf(index % PER_SITE, PER_SITE, count);
    for (let i = first; i < end; i++) {
      if (i % 256 === 0) await context.breath();
      const [x, y, z] = apply3(toReciprocal, apply3(back, [h[i]!, k[i]!, l[i]!]));
      const scale = 2 * Math.PI * BOHR;
      const q: Vec3 = [scale * x, scale * y, scale * z];
      transform.factor(q, value);
      out[at + i] = value[0]!;
      out[at + count + i] = value[1]!;
    }
  }
}

/**
 * Form factors of sites at triples: of each the real parts, then the imaginary parts. `told` is called with the share that is done.
 */
export async function siteFactors(
  sites: readonly SiteShare[],
  cell: Cell,
  { h, k, l }: Pick<FormFactors, 'h' | 'k' | 'l'>,
  context: TaskContext,
  told: (share: number) => void,
): Promise<Float64Array[]> {
  const length = 2 * h.length,
    parts = sites.length * PER_SITE;
  const workshop = new FactorsWorkshop({
    kind: 'factors',
    sites,
    cell,
    h,
    k,
    l,
    out: sharedDoubles(length * sites.length),
  });
  const crew = new Crew<FactorsPlan>([{ plan: workshop.plan, workshop }], length * sites.length > FEW_FACTORS);
  await crew.during(context, () => crew.run(workshop, 0, parts, context, (done) => told(done / parts)));
  return sites.map((_, n) => workshop.plan.out.subarray(n * length, (n + 1) * length));
}
