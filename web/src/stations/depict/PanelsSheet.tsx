/** Panels of the page and what part of the crystal the present one shows. */
import type { ReactNode } from 'react';
import type { Structure } from '@nagare/core/crystal/structure';
import { type Drawing, type Panel } from '@nagare/core/depict/figure';
import type { Extent, ExtentKind } from '@nagare/core/draw/extent';
import { turnCamera } from '@nagare/core/draw/camera';
import { NumberRow } from '../../frame/NumberRow.tsx';
import { NumberField, Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import { withoutPanel, withPanelAdded } from './figure-edits.ts';
import type { FigureOnTable } from './use-figure.ts';

const EXTENTS: readonly (readonly [ExtentKind, string])[] = [
  ['unique', 'the unique part'],
  ['molecules', 'whole molecules'],
  ['motif', 'one of each molecule, chain, layer'],
  ['cell', 'exactly what the cell holds'],
  ['closed cell', 'the cell, closed at its faces'],
  ['packed cell', 'whole molecules in the cell'],
  ['block', 'a block of cells'],
  ['sphere', 'a sphere around picked atoms'],
  ['slab', 'a slab between two planes'],
];

const letter = (i: number): string => `(${String.fromCharCode(97 + i)})`;

export function PanelsSheet({ s, table }: { s: Structure; table: FigureOnTable }): ReactNode {
  const { figure, panel, drawing, change, changeDrawing } = table;
  const { setDepicting, selection } = useProject('setDepicting', 'selection');
  const aside = turnCamera({ ...panel.view }, { up: Math.PI / 2 }).rotation;
  const at = figure.panels.indexOf(panel);
  return (
    <Sheet
      title="Panels and extent"
      fold
      state={`Panel ${letter(at)} shows ${EXTENTS.find(([k]) => k === drawing.extent.kind)?.[1] ?? 'chosen atoms'}.`}
    >
      {figure.panels.length > 1 && (
        <p className="acts mb-1" role="group" aria-label="Panels">
          {figure.panels.map((p, i) => (
            <button
              key={p.id}
              className="chip"
              aria-pressed={p.id === panel.id}
              onClick={() => setDepicting({ figure: figure.id, panel: p.id })}
            >
              {letter(i)}
            </button>
          ))}
          <button className="word off" onClick={() => change('panel removed', (f) => withoutPanel(f, panel.id))}>
            Remove {letter(at)}
          </button>
        </p>
      )}
      <p className="acts mb-1">
        <button className="word" onClick={() => change('panel added', (f) => withPanelAdded(f, panel, aside, false))}>
          Add the same from another side
        </button>
        <button
          className="word"
          title="Begins as a copy; its rules and what it hides are its own"
          onClick={() => change('panel added', (f) => withPanelAdded(f, panel, panel.view.rotation, true))}
        >
          Add one of its own
        </button>
      </p>
      {figure.panels.length > 1 && <Linked table={table} />}
      <ExtentFields
        drawing={drawing}
        onChange={(extent) => changeDrawing('extent', (d) => ({ ...d, extent }))}
        around={
          selection.length
            ? selection
            : s.sites.slice(0, 1).map((x) => ({ site: x.id, operator: 0, shift: [0, 0, 0] as const }))
        }
      />
    </Sheet>
  );
}

function Linked({ table }: { table: FigureOnTable }): ReactNode {
  const { figure, panel, change } = table;
  const LINK = 'together';
  const flip = (): void =>
    change('linked', (f) => ({
      ...f,
      panels: f.panels.map((p): Panel => {
        const { link: _, ...rest } = p;
        return panel.link === undefined
          ? { ...rest, link: LINK, view: { ...p.view, rotation: panel.view.rotation } }
          : rest;
      }),
    }));
  return (
    <label className="word">
      <input type="checkbox" checked={figure.panels.every((p) => p.link !== undefined)} onChange={flip} /> all panels
      turn together
    </label>
  );
}

interface ExtentFieldsProps {
  readonly drawing: Drawing;
  readonly around: Extract<Extent, { kind: 'sphere' }>['around'];
  onChange(extent: Extent): void;
}

const triple = (v: readonly number[]): readonly [number, number, number] => [v[0]!, v[1]!, v[2]!];

function firstExtent(kind: ExtentKind, around: ExtentFieldsProps['around']): Extent | undefined {
  switch (kind) {
    case 'block':
      return { kind, from: [0, 0, 0], to: [2, 2, 1] };
    case 'sphere':
      return { kind, around, radius: 6 };
    case 'slab':
      return { kind, plane: [0, 0, 1], from: 0, to: 1, radius: 14 };
    case 'net':
    case 'list':
      return undefined;
    default:
      return { kind };
  }
}

function ExtentFields({ drawing, around, onChange }: ExtentFieldsProps): ReactNode {
  const { extent } = drawing;
  return (
    <>
      <div className="field">
        <label htmlFor="figure-extent">Part drawn</label>
        <select
          id="figure-extent"
          className="form-select form-select-sm"
          value={extent.kind}
          onChange={(e) => {
            const kind = EXTENTS.find(([k]) => k === e.target.value)?.[0];
            const next = kind && firstExtent(kind, around);
            if (next) onChange(next);
          }}
        >
          {!EXTENTS.some(([k]) => k === extent.kind) && <option value={extent.kind}>chosen atoms</option>}
          {EXTENTS.map(([kind, name]) => (
            <option key={kind} value={kind}>
              {name}
            </option>
          ))}
        </select>
      </div>
      {extent.kind === 'block' && (
        <>
          <div className="field">
            <span className="soft">from a b c</span>
            <span className="d-flex gap-1">
              <NumberRow
                id="block-from"
                labels={['from a', 'from b', 'from c']}
                values={extent.from}
                digits={1}
                step={0.5}
                min={-10}
                max={10}
                onChange={(v) => onChange({ ...extent, from: triple(v) })}
              />
            </span>
          </div>
          <div className="field">
            <span className="soft">to a b c</span>
            <span className="d-flex gap-1">
              <NumberRow
                id="block-to"
                labels={['to a', 'to b', 'to c']}
                values={extent.to}
                digits={1}
                step={0.5}
                min={-10}
                max={10}
                onChange={(v) => onChange({ ...extent, to: triple(v) })}
              />
            </span>
          </div>
        </>
      )}
      {extent.kind === 'sphere' && (
        <div className="field">
          <label htmlFor="sphere-radius">Radius</label>
          <NumberField
            id="sphere-radius"
            value={extent.radius}
            digits={1}
            step={0.5}
            min={0.5}
            max={40}
            unit="Å"
            onChange={(radius) => onChange({ ...extent, radius })}
          />
        </div>
      )}
      {extent.kind === 'slab' && (
        <>
          <div className="field">
            <span className="soft">plane (h k l)</span>
            <span className="d-flex gap-1">
              <NumberRow
                id="slab-plane"
                labels={['h', 'k', 'l']}
                values={extent.plane}
                digits={0}
                step={1}
                min={-12}
                max={12}
                onChange={(v) => v.some((x) => x) && onChange({ ...extent, plane: triple(v) })}
              />
            </span>
          </div>
          <div className="field">
            <span className="soft">heights</span>
            <span className="d-flex gap-1">
              <NumberRow
                id="slab-heights"
                labels={['from height', 'to height']}
                values={[extent.from, extent.to]}
                digits={2}
                step={0.1}
                onChange={([from, to]) => onChange({ ...extent, from: from!, to: to! })}
              />
            </span>
          </div>
        </>
      )}
    </>
  );
}
