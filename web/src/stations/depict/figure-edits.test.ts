import { describe, expect, it } from 'vitest';
import { tunnelOxide } from '../../../../demo/src/structures.ts';
import { lime } from '../../../../demo/src/structures.ts';
import { originalRef } from '@nagare/core/crystal/atom-ref';
import type { Annotation, Figure } from '@nagare/core/depict/figure';
import { figureFrom, newRule } from '@nagare/core/depict/templates';
import { figureSchema } from '@nagare/core/tasks/figure-schemas';
import { holdsAll } from '../../frame/take-figure.ts';
import { madeOfAtoms, strokeMade } from './annotation-made.ts';
import {
  copyOfFigure,
  figureForOther,
  freeName,
  hiddenBonds,
  hiddenChoice,
  movedAnnotation,
  movedTo,
  snapped,
  withoutPanel,
  withPanelAdded,
} from './figure-edits.ts';
import { figureFile, isFigureFile, readFigureFile } from './figure-file.ts';

const oxide = tunnelOxide();
const base = figureFrom(oxide, 'channel');
const [first, second] = base.panels;
const on = (panel: string, id = 'x'): Annotation => ({
  id,
  kind: 'arrow',
  from: { kind: 'atoms', panel, atoms: [originalRef('W1')], off: [0, 0] },
  to: { kind: 'page', at: [10, 10] },
  heads: 1,
});

describe('figures in the strip', () => {
  it('are copied with identifiers of their own, everything tied to the copies', () => {
    const copy = copyOfFigure({ ...base, annotations: [...base.annotations, on(first!.id)] }, 'Copy');
    const ids = (f: Figure): string[] => [f.id, ...[...f.drawings, ...f.panels, ...f.annotations].map((x) => x.id)];
    expect(ids(copy).filter((id) => ids(base).includes(id))).toEqual([]);
    expect(copy.panels.every((p) => copy.drawings.some((d) => d.id === p.drawing))).toBe(true);
    const panels = new Set(copy.panels.map((p) => p.id));
    for (const a of copy.annotations) {
      if ('panel' in a) expect(panels.has(a.panel)).toBe(true);
      if (a.kind === 'arrow' && a.from.kind === 'atoms') expect(panels.has(a.from.panel)).toBe(true);
    }
    expect(figureSchema.parse(copy)).toEqual(copy);
  });

  it('bear names that no other has, and change places', () => {
    expect(freeName([], 'Packing')).toBe('Packing');
    expect(freeName([{ ...base, name: 'Packing' }], 'Packing')).toBe('Packing 2');
    expect(
      freeName(
        [
          { ...base, name: 'Packing' },
          { ...base, name: 'Packing 2' },
        ],
        'Packing 2',
      ),
    ).toBe('Packing 3');
    expect(movedTo([1, 2, 3], 0, 2)).toEqual([2, 3, 1]);
    expect(movedTo([1, 2, 3], 2, -1)).toEqual([3, 1, 2]);
  });
});

describe('panels', () => {
  it('come with the same drawing or one of their own, and go with what was written on them', () => {
    const linked = withPanelAdded(base, first!, first!.view.rotation, false);
    expect(linked.panels).toHaveLength(3);
    expect(linked.drawings).toHaveLength(1);
    const own = withPanelAdded(base, first!, first!.view.rotation, true);
    expect(own.drawings).toHaveLength(2);
    const written = { ...own, annotations: [on(first!.id, 'here'), on(own.panels[2]!.id, 'there')] };
    const less = withoutPanel(written, own.panels[2]!.id);
    expect(less.drawings).toHaveLength(1);
    expect(less.annotations.map((a) => a.id)).toEqual(['here']);
    const alone = withoutPanel(base, second!.id);
    expect(alone.panels).toHaveLength(1);
    expect(withoutPanel(alone, first!.id)).toBe(alone);
  });
});

describe('what is hidden and written', () => {
  const drawing = base.drawings[0]!;

  it('is told in words, bonds only where there are any', () => {
    expect(hiddenChoice(oxide, drawing, { which: { kind: 'element', elements: ['O'] } }).hiding[0]!.words).toBe('O');
    const atoms = ['W1', 'O1', 'O2'].map((x) => originalRef(x));
    const one = hiddenBonds(drawing, atoms, (p, q) => p.site === 'W1' && q.site === 'O1');
    expect(one.hiding[0]).toMatchObject({ words: 'a bond', bonds: [[atoms[0], atoms[1]]] });
    expect(hiddenBonds(drawing, atoms, () => false)).toBe(drawing);
  });

  it('snaps to whole millimetres where it comes near, and moves on the page', () => {
    expect(snapped(4.2)).toBe(4);
    expect(snapped(4.5)).toBe(4.5);
    const arrow = movedAnnotation(on(first!.id), 2, 3);
    expect(arrow).toMatchObject({ from: { off: [2, 3] }, to: { at: [12, 13] } });
    const bar = { id: 'b', kind: 'scale bar' as const, panel: first!.id, at: [1, 1] as const, length: 5 };
    expect(movedAnnotation(bar, 1, 0)).toMatchObject({ at: [2, 1] });
    const outline = madeOfAtoms('outline', first!, [originalRef('W1')])!;
    expect(movedAnnotation(outline, 5, 5)).toBe(outline);
  });

  it('is made of a stroke: tied to the atom it begins on, of a use where it was only clicked', () => {
    const atom = originalRef('O1');
    expect(strokeMade('arrow', first!, { at: [1, 1], atom }, { at: [9, 1] })).toMatchObject({
      from: { kind: 'atoms', atoms: [atom] },
      to: { kind: 'page', at: [9, 1] },
    });
    const clicked = strokeMade('arrow', first!, { at: [1, 1] }, { at: [1, 1] });
    expect(clicked).toMatchObject({ to: { at: [13, 1] } });
    expect(strokeMade('ellipse', first!, { at: [0, 0] }, { at: [3, 4] })).toMatchObject({ rx: 5, ry: 5 });
    expect(strokeMade('outline', first!, { at: [0, 0] }, { at: [3, 4] })).toBeUndefined();
    expect(madeOfAtoms('dimension', first!, [atom])).toBeUndefined();
  });
});

describe('a figure of another structure', () => {
  it('leaves out what means nothing there, and says what', () => {
    const rules = [
      newRule({ which: { kind: 'element', elements: ['O'] }, style: { size: 2 } }),
      newRule({ which: { kind: 'site', sites: ['Cs1'] }, style: { size: 2 } }),
    ];
    const figure = {
      ...base,
      drawings: [{ ...base.drawings[0]!, mark: 'm', rules }],
      annotations: [on(first!.id), ...base.annotations],
    };
    const { figure: made, lost } = figureForOther(lime(), figure);
    expect(made.drawings[0]!.rules).toHaveLength(1);
    expect(lost).toHaveLength(1);
    expect(made.drawings[0]!.mark).toBeUndefined();
    expect(made.panels.every((p) => p.view.scale === 0)).toBe(true);
    expect(made.annotations.map((a) => a.kind)).toEqual(['compass', 'compass']);
  });

  it('goes into a project where its atoms are', () => {
    expect(holdsAll(oxide, oxide)).toBe(true);
    expect(holdsAll(lime(), oxide)).toBe(false);
  });
});

describe('figures in files', () => {
  const text = figureFile(
    { ...base, drawings: [{ ...base.drawings[0]!, mark: 'm' }] },
    { [base.drawings[0]!.id]: oxide },
  );

  it('come back as they were, without marks of a project', () => {
    expect(isFigureFile(text)).toBe(true);
    const back = readFigureFile(text, 'a.json');
    expect(back.figure).toEqual(base);
    expect(back.structures[base.drawings[0]!.id]).toEqual(oxide);
  });

  it('are refused by name where they are damaged', () => {
    expect(() => readFigureFile(text.slice(0, -9), 'a.json')).toThrow(/a\.json is not a figure/);
    const wrong = JSON.parse(text);
    wrong.figure.width = 'wide';
    expect(() => readFigureFile(JSON.stringify(wrong), 'a.json')).toThrow(/figure\.width should be a number/);
    wrong.figure.width = 100;
    wrong.figure.secret = 1;
    expect(() => readFigureFile(JSON.stringify(wrong), 'a.json')).toThrow(/cannot be taken/);
    expect(isFigureFile('data_x\n')).toBe(false);
  });
});
