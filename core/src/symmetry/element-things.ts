/** Symmetry elements as things to measure from, the copy of each that passes nearest to chosen atoms. */
import { siteIndices, type AtomRef } from '../crystal/atom-ref.ts';
import type { Structure } from '../crystal/structure.ts';
import { cartesianOf } from '../geometry/measure.ts';
import { footOf, type ElementThing } from '../geometry/element-place.ts';
import { add, apply3, inverse3, norm, subtract, type Vec3 } from '../math/matrix3.ts';
import { middle } from '../math/superpose.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { elementOfOperator, symmetryElements, type SymmetryElement } from './elements.ts';

export interface ElementChoice {
  readonly words: string;
  readonly thing: ElementThing;
  /** Å from the middle of the atoms; absent where none are chosen. */
  readonly away?: number;
}

/** Of a rotoinversion the axis is what one measures from. */
function thingOf(e: SymmetryElement): ElementThing {
  const { at } = e;
  if (e.plane) return { kind: 'element', at, plane: e.plane };
  return e.kind === 'inversion centre' ? { kind: 'element', at } : { kind: 'element', at, axis: e.direction };
}

/** The element moved by whole cells, with the words of where it stands then. */
function shifted(e: SymmetryElement, by: Vec3, centring: readonly Vec3[]): SymmetryElement {
  const { r, t } = e.operator;
  const turned = apply3(r, by);
  // T W T⁻¹ with T the translation.
  const moved = elementOfOperator(
    { r, t: [t[0] + by[0] - turned[0], t[1] + by[1] - turned[1], t[2] + by[2] - turned[2]] },
    centring,
  );
  return moved ?? e;
}

/**
 * Every symmetry element of a crystal's cell. Where atoms are chosen, each as it passes nearest to their middle (lattice
 * copies included), nearest first.
 */
export function elementsNear(s: Structure, atoms: readonly AtomRef[]): ElementChoice[] {
  const elements = symmetryElements(s.spaceGroup);
  const here = siteIndices(s);
  const chosen = atoms.filter((a) => here.has(a.site));
  if (!chosen.length) return elements.map((e) => ({ words: e.words, thing: thingOf(e) }));
  const place = middle(cartesianOf(s, chosen));
  const fractional = apply3(inverse3(orthogonalization(s.cell)), place);
  const away = (thing: ElementThing): number => norm(subtract(place, footOf(s.cell, thing, place)));
  return elements
    .map((e) => {
      const thing = thingOf(e);
      const copies = nearShifts(e, fractional).map((by) => {
        const moved = { ...thing, at: add(thing.at, by) };
        return { by, moved, away: away(moved) };
      });
      const nearest = copies.reduce((p, q) => (q.away < p.away - 1e-6 ? q : p));
      return { words: shifted(e, nearest.by, s.spaceGroup.centring).words, thing: nearest.moved, away: nearest.away };
    })
    .sort((p, q) => p.away - q.away);
}

/** Whole cells by which an element comes near to a place; the nearest is among them. */
function nearShifts(e: SymmetryElement, place: Vec3): Vec3[] {
  const base = e.at.map((x, k) => Math.round(place[k]! - x));
  const out: Vec3[] = [];
  for (const i of [-1, 0, 1])
    for (const j of [-1, 0, 1]) for (const k of [-1, 0, 1]) out.push([base[0]! + i, base[1]! + j, base[2]! + k]);
  return out;
}
