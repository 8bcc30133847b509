/** Surfaces in a figure: density of maps, wishes of a molecule, and a molecule's own surface. */
import { attachmentShape } from '../contacts/attachment.ts';
import { SurfaceSearch, type MoleculeSurface, type SurfaceBy } from '../contacts/molecule-surface.ts';
import type { Probe } from '../contacts/probes.ts';
import { levelAt, WishSearch } from '../contacts/wishes.ts';
import { wishSurface } from '../contacts/wish-field.ts';
import { isAtomOf, type AtomRef } from '../crystal/atom-ref.ts';
import type { AtomPotentials } from '../crystal/form-factors.ts';
import type { GivenFace } from '../crystal/faces.ts';
import type { Structure } from '../crystal/structure.ts';
import { channels, mixColours, type SceneColours } from '../draw/colours.ts';
import type { AtomPrimitive, Layer, SurfacePrimitive } from '../draw/scene.ts';
import { DENSITY_REACH, mapSurfaces, regionAround } from '../maps/map-surfaces.ts';
import { contourSurface, type Region } from '../maps/isosurface.ts';
import type { MapKind } from '../maps/residual.ts';
import type { SampledMap } from '../maps/sample.ts';
import { crystalShape, type CrystalFace } from '../space/crystal-shape.ts';
import { triedShape } from '../space/given-shape.ts';
import { voidNetwork, type VoidNetwork } from '../space/network.ts';
import { voidMap, type VoidMap } from '../space/voids.ts';
import { networkLayers } from './network-layers.ts';
import { shapeLayers } from './shape-layers.ts';

/** The potential is known of molecules with aspherical atoms alone. */
export const PAINTED_BY = ['closeness', 'inside', 'outside', 'potential'] as const;
export const SHAPE_BY = ['spacings', 'energies', 'faces'] as const;
type ShapeBy = (typeof SHAPE_BY)[number];
export type PaintedBy = (typeof PAINTED_BY)[number];

interface SurfaceBase {
  readonly id: string;
  readonly colour: string;
  /** 0–1 */
  readonly opacity: number;
}

export type FigureSurface = SurfaceBase &
  (
    | {
        readonly kind: 'map';
        readonly map: MapKind;
        /** e Å⁻³ */
        readonly level: number;
        /** Of what lies below −level; nothing is drawn there where it is absent. */
        readonly below?: string;
      }
    /** `share` of the best place; of the molecule of an atom, the largest where it is absent. */
    | { readonly kind: 'wishes'; readonly probe: Probe; readonly share: number; readonly of?: AtomRef }
    | {
        readonly kind: 'molecule';
        readonly by: SurfaceBy;
        /** One colour where it is absent. */
        readonly painted?: PaintedBy;
        readonly of?: AtomRef;
      }
    /** What a probe of a radius (Å) touches, in the cells that are drawn. */
    | { readonly kind: 'voids'; readonly probe: number }
    /** Chambers that such a probe can be in, and in a colour of their own the ways it can go, in the cells that are drawn. */
    | { readonly kind: 'ways'; readonly probe: number; readonly tubes: string }
    /** The crystal around what is drawn, by its spacings, by attachment energies, or by given faces. */
    | {
        readonly kind: 'shape';
        readonly by: ShapeBy;
        /** Where it is by given faces. */
        readonly given?: readonly GivenFace[];
        /** Whether the class makes the others of each given face. */
        readonly complete?: boolean;
        readonly edges: boolean;
        readonly names: boolean;
      }
  );

/** What a mark knows beside its structure: maps of its data, by kind, and what the electrons of its atoms do. */
export type FigureFields = Partial<Readonly<Record<MapKind, SampledMap>>> & { readonly potentials?: AtomPotentials };

/** Density is drawn around so many atoms at most. */
const MOST_AROUND = 600;
/** Å between points of the fields of wishes. */
const WISH_STEP = 0.3;

/** Ends of the scale, near first. */
const SCALES: Readonly<Record<Exclude<PaintedBy, 'potential'>, readonly [number, number]>> = {
  closeness: [-0.5, 1],
  inside: [0.7, 2.2],
  outside: [0.7, 2.2],
};
/** The middle of scales of colours. */
export const PAPER = '#f3efe6';

/** Near is gold, at the ends of the radii paper, far is indigo. */
function shade(part: number, colours: Pick<SceneColours, 'gold' | 'indigo'>): readonly number[] {
  const [near, middle] = [channels(colours.gold), channels(PAPER)];
  const far = channels(mixColours(colours.indigo, PAPER, 0.3));
  const mix = (p: readonly number[], q: readonly number[], k: number): number[] => p.map((x, i) => x + (q[i]! - x) * k);
  return part < 1 / 3 ? mix(near, middle, 3 * part) : mix(middle, far, (1.5 * (part - 1 / 3)) ** 0.9);
}

/** Red, green, blue (0–255) of every vertex of a molecule's surface; by how near others are where a potential is asked for and unknown. */
export function surfaceShades(s: MoleculeSurface, by: PaintedBy, colours: SceneColours): Uint8Array {
  if (by === 'potential' && s.potential) return potentialShades(s.potential, colours);
  const told = by === 'potential' ? 'closeness' : by;
  const values = s[told];
  const [from, to] = SCALES[told];
  const out = new Uint8Array(3 * values.length);
  values.forEach((v, i) => {
    const part = Math.max(0, Math.min(1, (v - from) / (to - from)));
    shade(part, colours).forEach((x, k) => (out[3 * i + k] = Math.round(x)));
  });
  return out;
}

/** Ends of the scale of a potential, kJ mol⁻¹ e⁻¹: what all but a fiftieth of the vertices lie within, a multiple of ten. */
export function potentialReach(potential: Float32Array): number {
  const sizes = Float32Array.from(potential, Math.abs).sort();
  return Math.max(10, 10 * Math.ceil((sizes[Math.floor(0.98 * (sizes.length - 1))] ?? 0) / 10));
}

/** Red, green, blue (0–255) of every vertex: vermilion where the potential is negative, indigo where it is positive, paper between. */
export function potentialShades(
  potential: Float32Array,
  colours: Pick<SceneColours, 'vermilion' | 'indigo'>,
): Uint8Array {
  const reach = potentialReach(potential);
  const [negative, middle, positive] = [channels(colours.vermilion), channels(PAPER), channels(colours.indigo)];
  const out = new Uint8Array(3 * potential.length);
  potential.forEach((v, i) => {
    const part = Math.min(1, Math.abs(v) / reach);
    const end = v < 0 ? negative : positive;
    middle.forEach((x, k) => (out[3 * i + k] = Math.round(x + (end[k]! - x) * part)));
  });
  return out;
}

/** Whether some surfaces are painted by the potential of aspherical atoms. */
export const potentialsWanted = (surfaces: readonly FigureSurface[] = []): boolean =>
  surfaces.some((x) => x.kind === 'molecule' && x.painted === 'potential');

/** The kinds of maps that some surfaces are of. */
export const mapsWanted = (surfaces: readonly FigureSurface[] = []): MapKind[] => [
  ...new Set(surfaces.flatMap((x) => (x.kind === 'map' ? [x.map] : []))),
];

/** Density around what is seen of the atoms. */
function densityItems(
  s: Structure,
  surface: Extract<FigureSurface, { kind: 'map' }>,
  atoms: readonly AtomPrimitive[],
  map: SampledMap | undefined,
): SurfacePrimitive[] {
  const places = atoms.flatMap((a) => (a.opacity > 0 ? [a.position] : [])).slice(0, MOST_AROUND);
  if (!map || !places.length) return [];
  const region = regionAround(s.cell, places, DENSITY_REACH);
  const pair = mapSurfaces(map, s.cell, region, surface.level, places.flat(), DENSITY_REACH);
  const { colour, opacity, below } = surface;
  return [
    { ...pair.excess, colour, opacity, mesh: 0 },
    ...(below ? [{ ...pair.deficit, colour: below, opacity, mesh: 0 }] : []),
  ];
}

const moleculeOf = (s: Structure, of: AtomRef | undefined): { molecule?: AtomRef } =>
  of && isAtomOf(s, of) ? { molecule: of } : {};

function wishItems(s: Structure, surface: Extract<FigureSurface, { kind: 'wishes' }>): SurfacePrimitive[] {
  const search = new WishSearch(s, { probes: [surface.probe], ...moleculeOf(s, surface.of) });
  const level = levelAt(search.all(), surface.probe, surface.share);
  const { colour, opacity } = surface;
  return search.grids(WISH_STEP).map((grid) => ({ ...wishSurface(grid, level), colour, opacity, mesh: 0 }));
}

function moleculeItem(
  s: Structure,
  surface: Extract<FigureSurface, { kind: 'molecule' }>,
  { potentials }: FigureFields,
  colours: SceneColours,
): SurfacePrimitive {
  const search = new SurfaceSearch(s);
  const index = search.indexOf(moleculeOf(s, surface.of).molecule);
  const bare = search.of(index, surface.by);
  const made = surface.painted === 'potential' ? search.withPotential(index, bare, potentials) : bare;
  const { positions, indices } = made;
  const { colour, opacity, painted } = surface;
  return {
    positions,
    indices,
    colour,
    opacity,
    mesh: 0,
    ...(painted ? { shades: surfaceShades(made, painted, colours) } : {}),
  };
}

/** Worked out last for a structure: a figure is drawn anew at every change. */
const knownVoids = new WeakMap<Structure, VoidMap>();
/** Cells that empty space is drawn in at most; in one where more are drawn. */
const MOST_CELLS = 12;

/** The whole cells that hold what is drawn. */
function drawnCells(s: Structure, atoms: readonly AtomPrimitive[]): Region {
  const one: Region = { min: [0, 0, 0], max: [1, 1, 1] };
  const places = atoms.flatMap((a) => (a.opacity > 0 ? [a.position] : []));
  if (!places.length) return one;
  // Atoms on a face belong to the cells within it.
  const { min, max } = regionAround(s.cell, places, -0.05);
  const [low, high] = [min.map(Math.floor), max.map(Math.ceil)] as unknown as [Region['min'], Region['max']];
  const cells = low.reduce((n, x, k) => n * (high[k]! - x), 1);
  return cells >= 1 && cells <= MOST_CELLS ? { min: low, max: high } : one;
}

function voidItem(
  s: Structure,
  { probe, colour, opacity }: Extract<FigureSurface, { kind: 'voids' }>,
  atoms: readonly AtomPrimitive[],
): SurfacePrimitive[] {
  let map = knownVoids.get(s);
  if (map?.probe !== probe) knownVoids.set(s, (map = voidMap(s, { probe })));
  if (!map.voids.length) return [];
  const { grid, touchedField: values } = map;
  const inside = mixColours(colour, PAPER, 0.55);
  return [{ ...contourSurface({ grid, values }, s.cell, drawnCells(s, atoms), 0), colour, inside, opacity, mesh: 0 }];
}

/**
 * Surfaces of a drawing of a structure whose bonds are known, around its atoms; density only where its map is given. Throws
 * RangeError where a molecule is asked for and there is none.
 */
export function surfaceLayers(
  s: Structure,
  surfaces: readonly FigureSurface[],
  atoms: readonly AtomPrimitive[],
  maps: FigureFields,
  colours: SceneColours,
): Layer[] {
  const items = surfaces.flatMap((x): SurfacePrimitive[] => {
    if (x.kind === 'map') return densityItems(s, x, atoms, maps[x.map]);
    if (x.kind === 'shape' || x.kind === 'ways') return [];
    if (x.kind === 'voids') return voidItem(s, x, atoms);
    return x.kind === 'wishes' ? wishItems(s, x) : [moleculeItem(s, x, maps, colours)];
  });
  const seen = items.filter((x) => x.indices.length > 0);
  return [
    ...(seen.length ? [{ kind: 'surfaces' as const, name: 'surroundings' as const, items: seen }] : []),
    ...surfaces.flatMap((x) => (x.kind === 'ways' ? wayLayers(s, x, atoms) : [])),
    ...surfaces.flatMap((x) => (x.kind === 'shape' ? shapeLayers(s, facesBy(s, x), x, colours.ink) : [])),
  ];
}

/** Worked out last for a structure. */
const knownWays = new WeakMap<Structure, { readonly probe: number; readonly network: VoidNetwork }>();

function wayLayers(
  s: Structure,
  { probe, colour, tubes, opacity }: Extract<FigureSurface, { kind: 'ways' }>,
  atoms: readonly AtomPrimitive[],
): Layer[] {
  let known = knownWays.get(s);
  if (known?.probe !== probe) knownWays.set(s, (known = { probe, network: voidNetwork(s, { probe }) }));
  return networkLayers(known.network, s.cell, { chambers: colour, ways: tubes, opacity }, drawnCells(s, atoms));
}

/** Worked out last for a structure, by what they are from. */
const knownFaces = new WeakMap<Structure, Map<string, readonly CrystalFace[]>>();

/** Faces of the shape; none where those given do not close, which the sheet says. */
function facesBy(s: Structure, shape: Extract<FigureSurface, { kind: 'shape' }>): readonly CrystalFace[] {
  const { by, given = [], complete = true } = shape;
  if (by === 'faces') return triedShape(s, given, complete).faces;
  const known = knownFaces.get(s) ?? new Map<string, readonly CrystalFace[]>();
  knownFaces.set(s, known);
  const faces = known.get(by) ?? (by === 'energies' ? attachmentShape(s).faces : crystalShape(s));
  known.set(by, faces);
  return faces;
}
