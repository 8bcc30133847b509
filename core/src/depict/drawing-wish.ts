/** From a drawing of a figure to what the scene is built from. */
import { isAtomOf, type AtomRef } from '../crystal/atom-ref.ts';
import type { Structure } from '../crystal/structure.ts';
import type { SceneWish } from '../draw/build-scene.ts';
import type { SceneColours } from '../draw/colours.ts';
import { PAPER_COLOURS, contrastOf } from '../draw/colours.ts';
import type { Extent } from '../draw/extent.ts';
import type { PolyhedronRule } from '../draw/polyhedra.ts';
import type { StyleRule } from '../draw/style.ts';
import type { Drawing, Figure, FigureRule } from './figure.ts';
import { paletteRules } from './palettes.ts';

/** Ink on light paper, and on dark. */
const DARK_INKS = { ink: '#1f2a33', soft: '#5a6570' },
  LIGHT_INKS = { ink: '#f2efe6', soft: '#b9c2c9' };

/** The colours of a figure: ink that can be read on its ground. */
export function figureColours({ ground }: Pick<Figure, 'ground'>): SceneColours {
  const inks = contrastOf(DARK_INKS.ink, ground) >= contrastOf(LIGHT_INKS.ink, ground) ? DARK_INKS : LIGHT_INKS;
  return { ...PAPER_COLOURS, ...inks, ground };
}

/** An extent laid around atoms that are still there; around the first site where none is. */
function extentHere(s: Structure, extent: Extent): Extent {
  const first = s.sites[0];
  const here = (atoms: readonly AtomRef[]): AtomRef[] => {
    const left = atoms.filter((a) => isAtomOf(s, a));
    return left.length || !first ? left : [{ site: first.id, operator: 0, shift: [0, 0, 0] }];
  };
  if (extent.kind === 'sphere') return { ...extent, around: here(extent.around) };
  if (extent.kind === 'list') return { ...extent, atoms: here(extent.atoms) };
  if (extent.kind === 'net') return { ...extent, of: here(extent.of) };
  return extent;
}

const styleRuleOf = ({ which, others, style }: FigureRule): StyleRule => ({
  which,
  ...(others ? { others } : {}),
  style,
});

function polyhedronRuleOf({ which, others, polyhedra }: FigureRule): PolyhedronRule[] {
  if (!polyhedra) return [];
  const { opacity, edgeWidth, showCentre, colour, edgeColour } = polyhedra;
  return [
    {
      centre: { kind: 'chosen', which, ...(others ? { others } : {}) },
      opacity,
      edges: edgeWidth > 0,
      edgeWidth,
      showCentre,
      ...(colour ? { colour } : {}),
      ...(edgeColour ? { edgeColour } : {}),
    },
  ];
}

/** What is drawn of a structure for a drawing of a figure. */
export function drawingWish(s: Structure, figure: Pick<Figure, 'palette' | 'ground'>, drawing: Drawing): SceneWish {
  const rules = drawing.rules.filter((r) => r.on);
  const hidden = drawing.hiding.flatMap((h): StyleRule[] =>
    h.chosen ? [{ which: h.chosen.which, ...(h.chosen.others ? { others: true } : {}), style: { hidden: true } }] : [],
  );
  const labels = drawing.labels.filter((l) => l.on);
  const withoutBonds = drawing.hiding.flatMap((h) => h.bonds ?? []);
  const withoutPolyhedra = drawing.hiding.flatMap((h) => h.polyhedra ?? []);
  return {
    extent: extentHere(s, drawing.extent),
    rules: [
      ...paletteRules(s, figure.palette),
      { which: { kind: 'lesser groups' }, style: { fade: 0.42 } },
      ...rules.map(styleRuleOf),
      ...hidden,
    ],
    showCell: drawing.showCell,
    labels: 'none',
    labelRules: labels.map(({ which, others, say }) => ({ which, ...(others ? { others } : {}), say })),
    colours: figureColours(figure),
    colourBy: drawing.colourBy,
    polyhedra: rules.flatMap(polyhedronRuleOf),
    added: drawing.added.filter((a) => isAtomOf(s, a)),
    sectors: drawing.sectors,
    ...(drawing.bonding ? { bonding: drawing.bonding } : {}),
    ...(withoutBonds.length ? { withoutBonds } : {}),
    ...(withoutPolyhedra.length ? { withoutPolyhedra } : {}),
  };
}
