/** What the other stations know, in the same picture: cell edges, contacts, planes, symmetry elements. */
import type { ReactNode } from 'react';
import { newId, type Structure } from '@nagare/core/crystal/structure';
import type { Drawing } from '@nagare/core/depict/figure';
import { COLOUR_RULES, type ColourRule } from '@nagare/core/draw/colouring';
import { NumberRow } from '../../frame/NumberRow.tsx';
import { NumberField, Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import { storedDefinitions } from '../relate/kept-definitions.ts';
import { HUES } from './RuleFields.tsx';
import type { FigureOnTable } from './use-figure.ts';

const COLOUR_WORDS: Readonly<Record<ColourRule, string>> = {
  element: 'element',
  site: 'site',
  molecule: 'molecule',
  group: 'disorder group',
  charge: 'charge',
  occupancy: 'occupancy',
  displacement: 'displacement',
};

export function BesidesSheet({ s, table }: { s: Structure; table: FigureOnTable }): ReactNode {
  const { drawing, changeDrawing } = table;
  const { looks } = useProject('looks');
  const set = (title: string, change: Partial<Drawing>): void => changeDrawing(title, (d) => ({ ...d, ...change }));
  const partly = s.sites.some((x) => x.occupancy < 1);
  return (
    <Sheet title="Beside the atoms" fold shut state="Cell, contacts, planes, symmetry; what the atoms’ colours tell.">
      <p className="acts mb-1">
        <label className="word">
          <input
            type="checkbox"
            checked={drawing.showCell}
            onChange={() => set('cell', { showCell: !drawing.showCell })}
          />{' '}
          cell edges
        </label>
        <label className="word">
          <input
            type="checkbox"
            checked={drawing.symmetry}
            onChange={() => set('symmetry', { symmetry: !drawing.symmetry })}
          />{' '}
          symmetry elements
        </label>
        {partly && (
          <label className="word">
            <input
              type="checkbox"
              checked={drawing.sectors}
              onChange={() => set('sectors', { sectors: !drawing.sectors })}
            />{' '}
            shared places as sectors
          </label>
        )}
      </p>
      <div className="field">
        <label htmlFor="figure-colours">Colours tell</label>
        <select
          id="figure-colours"
          className="form-select form-select-sm"
          value={drawing.colourBy}
          onChange={(e) => {
            const colourBy = COLOUR_RULES.find((r) => r === e.target.value);
            if (colourBy) set('colours tell', { colourBy });
          }}
        >
          {COLOUR_RULES.map((r) => (
            <option key={r} value={r}>
              {COLOUR_WORDS[r]}
            </option>
          ))}
        </select>
      </div>
      {looks.bonding !== drawing.bonding && (
        <p className="mb-1">
          Bonds were changed at Relate.{' '}
          <button
            className="word"
            onClick={() =>
              changeDrawing('bonds', ({ bonding: _, ...d }) => (looks.bonding ? { ...d, bonding: looks.bonding } : d))
            }
          >
            Take them here too
          </button>
        </p>
      )}
      <fieldset>
        <legend className="soft">contacts</legend>
        <span className="chips">
          {storedDefinitions().map((d) => (
            <button
              key={d.id}
              className="chip"
              aria-pressed={drawing.contacts.includes(d.id)}
              onClick={() =>
                set(`contacts ${d.id}`, {
                  contacts: drawing.contacts.includes(d.id)
                    ? drawing.contacts.filter((x) => x !== d.id)
                    : [...drawing.contacts, d.id],
                })
              }
            >
              {d.name}
            </button>
          ))}
        </span>
      </fieldset>
      <Planes table={table} />
    </Sheet>
  );
}

function Planes({ table }: { table: FigureOnTable }): ReactNode {
  const { drawing, changeDrawing } = table;
  const put = (id: string, change: Partial<Drawing['planes'][number]>): void =>
    changeDrawing(`plane ${id}`, (d) => ({
      ...d,
      planes: d.planes.map((p) => (p.id === id ? { ...p, ...change } : p)),
    }));
  return (
    <fieldset>
      <legend className="soft">
        planes (h k l){' '}
        <button
          className="word"
          onClick={() =>
            changeDrawing(`plane ${newId()}`, (d) => ({
              ...d,
              planes: [
                ...d.planes,
                { id: newId(), indices: [1, 0, 0], height: 0.5, colour: HUES[d.planes.length % 6]! },
              ],
            }))
          }
        >
          Add one
        </button>
      </legend>
      {drawing.planes.map((p) => (
        <div key={p.id} className="d-flex gap-1 align-items-center mb-1">
          <NumberRow
            id={`plane-${p.id}`}
            labels={['h', 'k', 'l']}
            values={p.indices}
            digits={0}
            step={1}
            min={-12}
            max={12}
            onChange={([h, k, l]) => {
              if (h || k || l) put(p.id, { indices: [h!, k!, l!] });
            }}
          />
          at
          <NumberField
            id={`plane-${p.id}-height`}
            label="Height in spacings"
            value={p.height}
            digits={2}
            step={0.1}
            onChange={(height) => put(p.id, { height })}
          />
          <button
            className="word off"
            aria-label="Remove this plane"
            onClick={() =>
              changeDrawing(`plane ${p.id} removed`, (d) => ({ ...d, planes: d.planes.filter((x) => x.id !== p.id) }))
            }
          >
            ×
          </button>
        </div>
      ))}
    </fieldset>
  );
}
