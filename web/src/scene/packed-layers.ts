/** Layers on their way to the worker that paints: ten thousand objects cost the page more to hand over than a few arrays. */
import type { AtomPrimitive, AtomShape, BondPrimitive, Layer, LayerName } from '@nagare/core/draw/scene';
import type { Vec3 } from '@nagare/core/math/matrix3';

/** What painting needs of an atom. */
export type PaintedAtom = Pick<AtomPrimitive, 'position' | 'axes' | 'colour' | 'shape' | 'opacity' | 'sectors'>;
export type PaintedBond = Omit<BondPrimitive, 'atoms'>;

export type PaintLayer =
  | Exclude<Layer, { kind: 'atoms' | 'bonds' }>
  | { readonly kind: 'atoms'; readonly name: LayerName; readonly items: readonly PaintedAtom[] }
  | { readonly kind: 'bonds'; readonly name: LayerName; readonly items: readonly PaintedBond[] };

const SHAPES: readonly AtomShape[] = ['sphere', 'ellipsoid', 'open ellipsoid', 'cube'];

interface Packed<K extends string> {
  readonly kind: K;
  readonly name: LayerName;
  /** Numbers of one item after another. */
  readonly numbers: Float32Array;
  /** The different colours, and which of them items have. */
  readonly colours: readonly string[];
  readonly colourOf: Uint16Array;
}

interface PackedAtoms extends Packed<'packed atoms'> {
  /** Of the few atoms that have some, by index. */
  readonly sectors: readonly (readonly [number, NonNullable<AtomPrimitive['sectors']>])[];
}

interface PackedBonds extends Packed<'packed bonds'> {
  /** Colours along the middle of the few that are hollow, by index. */
  readonly inner: readonly (readonly [number, string])[];
}

export type SentLayer = Exclude<Layer, { kind: 'atoms' | 'bonds' }> | PackedAtoms | PackedBonds;

/** Gives colours their numbers. */
class Palette {
  readonly colours: string[] = [];
  private readonly known = new Map<string, number>();

  of(colour: string): number {
    let i = this.known.get(colour);
    if (i === undefined) {
      this.known.set(colour, (i = this.colours.length));
      this.colours.push(colour);
    }
    return i;
  }
}

/** Position, three half axes, shape, opacity. */
const ATOM = 14;
/** Two ends, radius, opacity, length of dashes, what is left out at either end. */
const BOND = 11;

export function packLayer(layer: Layer): SentLayer {
  const palette = new Palette();
  if (layer.kind === 'atoms') {
    const numbers = new Float32Array(ATOM * layer.items.length);
    layer.items.forEach(({ position, axes, shape, opacity }, i) => {
      numbers.set(position, ATOM * i);
      axes.forEach((axis, k) => numbers.set(axis, ATOM * i + 3 + 3 * k));
      numbers[ATOM * i + 12] = SHAPES.indexOf(shape);
      numbers[ATOM * i + 13] = opacity;
    });
    const colourOf = Uint16Array.from(layer.items, (a) => palette.of(a.colour));
    const sectors = layer.items.flatMap((a, i) => (a.sectors ? [[i, a.sectors] as const] : []));
    return { kind: 'packed atoms', name: layer.name, numbers, colours: palette.colours, colourOf, sectors };
  }
  if (layer.kind === 'bonds') {
    const numbers = new Float32Array(BOND * layer.items.length);
    const colourOf = new Uint16Array(2 * layer.items.length);
    layer.items.forEach((b, i) => {
      numbers.set(b.from, BOND * i);
      numbers.set(b.to, BOND * i + 3);
      numbers.set([b.radius, b.opacity, b.dash ?? 0, b.skip?.[0] ?? 0, b.skip?.[1] ?? 0], BOND * i + 6);
      colourOf.set(
        b.colours.map((c) => palette.of(c)),
        2 * i,
      );
    });
    const inner = layer.items.flatMap((b, i) => (b.inner === undefined ? [] : [[i, b.inner] as const]));
    return { kind: 'packed bonds', name: layer.name, numbers, colours: palette.colours, colourOf, inner };
  }
  return layer;
}

/** Memory that goes over to the worker instead of being copied. */
export const transferred = (layer: SentLayer): ArrayBuffer[] =>
  layer.kind === 'packed atoms' || layer.kind === 'packed bonds'
    ? [layer.numbers.buffer as ArrayBuffer, layer.colourOf.buffer as ArrayBuffer]
    : [];

const vector = (numbers: Float32Array, at: number): Vec3 => [numbers[at]!, numbers[at + 1]!, numbers[at + 2]!];

export function unpackLayer(layer: SentLayer): PaintLayer {
  if (layer.kind === 'packed atoms') {
    const { name, numbers, colours, colourOf } = layer;
    const sectors = new Map(layer.sectors);
    const items = Array.from(colourOf, (c, i): PaintedAtom => {
      const at = ATOM * i;
      return {
        position: vector(numbers, at),
        axes: [vector(numbers, at + 3), vector(numbers, at + 6), vector(numbers, at + 9)],
        shape: SHAPES[numbers[at + 12]!]!,
        opacity: opacityOf(numbers[at + 13]!),
        colour: colours[c]!,
        ...(sectors.has(i) ? { sectors: sectors.get(i)! } : {}),
      };
    });
    return { kind: 'atoms', name, items };
  }
  if (layer.kind === 'packed bonds') {
    const { name, numbers, colours, colourOf } = layer;
    const inner = new Map(layer.inner);
    const items = Array.from({ length: numbers.length / BOND }, (_, i): PaintedBond => {
      const at = BOND * i;
      return {
        from: vector(numbers, at),
        to: vector(numbers, at + 3),
        radius: numbers[at + 6]!,
        opacity: opacityOf(numbers[at + 7]!),
        ...(numbers[at + 8] ? { dash: numbers[at + 8]! } : {}),
        ...(numbers[at + 9] || numbers[at + 10] ? { skip: [numbers[at + 9]!, numbers[at + 10]!] as const } : {}),
        ...(inner.has(i) ? { inner: inner.get(i)! } : {}),
        colours: [colours[colourOf[2 * i]!]!, colours[colourOf[2 * i + 1]!]!],
      };
    });
    return { kind: 'bonds', name, items };
  }
  return layer;
}

/** Opacities are steps of a slider; single precision must not make a material of its own of each. */
const opacityOf = (x: number): number => Math.round(1000 * x) / 1000;
