/** What the checks share: the model with everything known about it, and what several checks ask, worked out once. */
import { experiment } from '../crystal/experiment.ts';
import { placeKey, type AtomRef } from '../crystal/atom-ref.ts';
import { cellVolume, metricTensor } from '../crystal/cell.ts';
import { elementOf, isHydrogen, isMetal } from '../crystal/elements.ts';
import { formulaText, type Formula } from '../crystal/formula.ts';
import { neighbours, type Neighbour } from '../crystal/neighbours.ts';
import type { MergedReflections, RawReflections } from '../crystal/reflections.ts';
import { groupOrder, siteSymmetry } from '../crystal/space-group.ts';
import { cellContents, displacementToCartesian, equivalentU, type Structure } from '../crystal/structure.ts';
import type { Treatment } from '../crystal/treatment.ts';
import type { MergeStatistics } from '../data/merge.ts';
import type { SampleRecord } from '../formats/cif-data.ts';
import { bonds, fragments, neighbourRef } from '../geometry/bonds.ts';
import { meets } from '../geometry/parents.ts';
import type { ResidualPeak } from '../maps/residual.ts';
import { eigenSymmetric3 } from '../math/matrix3.ts';
import type { AbsoluteStructure } from '../refine/absolute-structure.ts';
import { siteElectrons, type SiteElectrons } from '../refine/site-electrons.ts';
import { evaluateStructure } from '../refine/single-crystal-problem.ts';
import type { Readings } from '../refine/single-crystal.ts';

export interface VetInput {
  structure: Structure;
  experiment: SampleRecord;
  wavelength?: number;
  readings?: Readings;
  statistics?: MergeStatistics;
  reflections?: MergedReflections;
  /** In the axes of the structure. */
  raw?: RawReflections;
  peaks?: readonly ResidualPeak[];
  holes?: readonly ResidualPeak[];
  residualSigma?: number;
  absolute?: AbsoluteStructure;
  treatment?: Treatment;
  /** Single items of the CIF the model came from: data name in lower case → text. */
  items?: Readonly<Record<string, string>>;
}

/** Elements that are taken for one another, by number. */
const MISTAKEN: readonly (readonly string[])[] = [
  ['B', 'C', 'N', 'O', 'F'],
  ['Al', 'Si', 'P', 'S', 'Cl'],
];
/** Those an element may be taken for, in the order of their numbers. */
export const mistakenFor = (element: string): readonly string[] =>
  (MISTAKEN.find((row) => row.includes(element)) ?? []).filter((e) => e !== element);

function lazy<T>(make: () => T): () => T {
  let value: T | undefined,
    made = false;
  return () => {
    if (!made) {
      value = make();
      made = true;
    }
    return value!;
  };
}

export class VetContext {
  readonly s: Structure;
  readonly volume: number;
  readonly order: number;

  constructor(readonly input: VetInput) {
    this.s = input.structure;
    this.volume = cellVolume(this.s.cell);
    this.order = groupOrder(this.s.spaceGroup);
  }

  label(i: number): string {
    return this.s.sites[i]?.label ?? '?';
  }
  labels(list: readonly number[], most = 8): string {
    return `${list
      .slice(0, most)
      .map((i) => this.label(i))
      .join(', ')}${list.length > most ? ` and ${list.length - most} more` : ''}`;
  }
  hydrogen(i: number): boolean {
    return isHydrogen(this.s.sites[i]!.element);
  }
  metal(i: number): boolean {
    return isMetal(this.s.sites[i]!.element);
  }

  readonly bonds = lazy((): readonly Neighbour[] => bonds(this.s));
  readonly bondsOf = (() => {
    const by = lazy(() => {
      const m = new Map<number, Neighbour[]>();
      for (const b of this.bonds()) m.set(b.from, [...(m.get(b.from) ?? []), b]);
      return m;
    });
    return (i: number): readonly Neighbour[] => by().get(i) ?? [];
  })();
  readonly heavyBondsOf = (i: number): readonly Neighbour[] => this.bondsOf(i).filter((b) => !this.hydrogen(b.to));
  readonly fragments = lazy(() => fragments(this.s, this.bonds()));
  readonly contents = lazy((): Formula => cellContents(this.s));
  readonly ueq = lazy(() => this.s.sites.map((x) => equivalentU(this.s.cell, x.displacement)));
  /** Principal mean-square displacements, ascending; undefined for isotropic sites. */
  readonly principal = lazy(() =>
    this.s.sites.map((x) =>
      x.displacement.kind === 'aniso'
        ? eigenSymmetric3(displacementToCartesian(this.s.cell, x.displacement.u))
        : undefined,
    ),
  );
  readonly tensor = lazy(() =>
    this.s.sites.map((x) =>
      x.displacement.kind === 'aniso' ? displacementToCartesian(this.s.cell, x.displacement.u) : undefined,
    ),
  );
  readonly siteOrder = lazy(() =>
    this.s.sites.map((x) => siteSymmetry(this.s.spaceGroup, metricTensor(this.s.cell), x.position).operators.length),
  );

  /** Formula units per cell: given, or such that the heaviest element of the formula comes out. */
  readonly z = lazy((): number => {
    const { z, formula } = this.input.experiment;
    if (z) return z;
    const contents = this.contents();
    const e =
      formula &&
      Object.keys(formula)
        .filter((x) => !isHydrogen(x) && contents[x])
        .sort((p, q) => elementOf(q).z - elementOf(p).z)[0];
    return e ? Math.max(0.5, Math.round((2 * contents[e]!) / formula[e]!) / 2) : this.order;
  });

  /** Contacts of atoms that are not bonded to one another nor to a common neighbour, nearer than the sum of van der Waals radii. */
  readonly contacts = lazy((): readonly Neighbour[] => {
    const radius = this.s.sites.map((x) => elementOf(x.element).vdwRadius);
    const bonded = new Set<string>();
    const key = (from: number, to: AtomRef): string => `${from} ${placeKey(this.s, to)}`;
    for (const b of this.bonds()) {
      const first = neighbourRef(this.s, b);
      bonded.add(key(b.from, first));
      for (const c of this.bondsOf(b.to)) {
        const second = neighbourRef(this.s, c, first);
        bonded.add(key(b.from, second));
        // Across a torsion atoms may come near without being a contact.
        for (const d of this.bondsOf(c.to)) bonded.add(key(b.from, neighbourRef(this.s, d, second)));
      }
    }
    return neighbours(
      this.s.cell,
      this.s.spaceGroup,
      this.s.sites.map((x) => x.position),
      {
        widest: 2 * Math.max(0, ...radius),
        of: (i, j) => (meets(this.s.sites[i]!.disorder, this.s.sites[j]!.disorder) ? radius[i]! + radius[j]! : 0),
      },
    ).filter((n) => !bonded.has(key(n.from, neighbourRef(this.s, n))) && !this.ownDisorder(n));
  });

  private ownDisorder(n: Neighbour): boolean {
    const a = this.s.sites[n.from]!,
      b = this.s.sites[n.to]!;
    // Partly occupied places about a symmetry element or in one assembly are never there together.
    return (
      (!!a.disorder &&
        a.disorder.assembly === b.disorder?.assembly &&
        (a.disorder.group !== b.disorder.group || a.disorder.group.startsWith('-'))) ||
      a.occupancy + b.occupancy <= 1.001
    );
  }

  readonly evaluated = lazy(() => {
    const { reflections, wavelength, readings, treatment } = this.input;
    if (!reflections || !wavelength || !this.s.sites.length) return undefined;
    return evaluateStructure(
      experiment(this.s, reflections, wavelength, {
        weights: readings?.weights,
        extinction: readings?.extinction?.value,
        treatment,
      }),
    );
  });

  /** Electrons of light sites, by site, where a refinement of spherical atoms without twins lets them be counted. */
  readonly electrons = lazy((): ReadonlyMap<number, SiteElectrons> => {
    const { reflections, wavelength, readings, treatment } = this.input;
    const evaluated = this.evaluated();
    if (!evaluated || !reflections || !wavelength || !readings) return new Map();
    if (treatment?.twins?.length || treatment?.aspherical) return new Map();
    const { weights } = readings;
    const light = this.s.sites.flatMap((x, i) => (mistakenFor(x.element).length ? [i] : []));
    const e = experiment(this.s, reflections, wavelength, { weights, treatment });
    const counts = siteElectrons(e, evaluated.data, readings.parameters, light, mistakenFor);
    return new Map(counts.map((count) => [count.site, count]));
  });

  /** A number the file gives, without its s.u.; undefined where it is missing. */
  item(name: string): number | undefined {
    const text = this.input.items?.[name.toLowerCase()];
    if (text === undefined) return undefined;
    const n = Number(text.replace(/\(\d+\)$/, ''));
    return Number.isFinite(n) ? n : undefined;
  }

  formulaWords(f: Formula): string {
    return formulaText(Object.fromEntries(Object.entries(f).map(([e, n]) => [e, Math.round(n * 100) / 100])));
  }
}

export const percent = (x: number, digits = 1): string => `${(100 * x).toFixed(digits)} %`;
