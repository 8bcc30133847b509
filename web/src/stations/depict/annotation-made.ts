/** What a stroke over the page, or a button for chosen atoms, makes. */
import type { AtomRef } from '@nagare/core/crystal/atom-ref';
import { newId } from '@nagare/core/crystal/structure';
import type { Anchor, Annotation, AnnotationKind, Panel } from '@nagare/core/depict/figure';

export const STROKES: readonly (readonly [AnnotationKind, string, string])[] = [
  ['text', 'Text', 'Click where it begins.'],
  ['arrow', 'Arrow', 'Drag from its foot to its tip; an end put on an atom stays with it.'],
  ['bracket', 'Bracket', 'Drag from end to end.'],
  ['ellipse', 'Ring', 'Drag from its middle outwards; begun on an atom it stays with it.'],
  ['compass', 'Compass', 'Click where its foot stands.'],
  ['scale bar', 'Scale bar', 'Click where it begins.'],
];

/** Made around or between the chosen atoms. */
export const OF_ATOMS: readonly (readonly [AnnotationKind, string, number])[] = [
  ['outline', 'Outline them', 1],
  ['dimension', 'Write their measure', 2],
];

export interface End {
  /** mm */
  readonly at: readonly [number, number];
  /** Under the pointer. */
  readonly atom?: AtomRef;
}

const anchorOf = (panel: Panel, { at, atom }: End): Anchor =>
  atom ? { kind: 'atoms', panel: panel.id, atoms: [atom], off: [0, 0] } : { kind: 'page', at };

/** mm: a ring that was only clicked, an arrow that was. */
const RING = 6,
  REACH = 12;

/** An annotation from one end of a stroke to the other. */
export function strokeMade(kind: AnnotationKind, panel: Panel, from: End, to: End): Annotation | undefined {
  const id = newId();
  const [dx, dy] = [to.at[0] - from.at[0], to.at[1] - from.at[1]];
  const length = Math.hypot(dx, dy);
  const far: End = length > 1 ? to : { at: [from.at[0] + REACH, from.at[1]] };
  switch (kind) {
    case 'text':
      return { id, kind, at: anchorOf(panel, from), text: 'Text' };
    case 'ellipse': {
      const round = length > 1 ? length : RING;
      return { id, kind, at: anchorOf(panel, from), rx: round, ry: round, angle: 0 };
    }
    case 'arrow':
      return { id, kind, from: anchorOf(panel, from), to: anchorOf(panel, far), heads: 1 };
    case 'bracket':
      return { id, kind, from: anchorOf(panel, from), to: anchorOf(panel, far), text: '' };
    case 'compass':
      return { id, kind, panel: panel.id, at: from.at };
    case 'scale bar':
      return { id, kind, panel: panel.id, at: from.at, length: 5 };
    default:
      return undefined;
  }
}

/** An annotation of chosen atoms. */
export function madeOfAtoms(kind: AnnotationKind, panel: Panel, atoms: readonly AtomRef[]): Annotation | undefined {
  const id = newId();
  if (kind === 'outline') return { id, kind, panel: panel.id, atoms, margin: 1.2 };
  if (kind === 'dimension' && atoms.length >= 2 && atoms.length <= 4) return { id, kind, panel: panel.id, atoms };
  return undefined;
}

export const ANNOTATION_NAMES: Readonly<Record<AnnotationKind, string>> = {
  text: 'Text',
  ellipse: 'Ring',
  outline: 'Outline',
  arrow: 'Arrow',
  bracket: 'Bracket',
  dimension: 'Measure',
  compass: 'Compass',
  'scale bar': 'Scale bar',
};
