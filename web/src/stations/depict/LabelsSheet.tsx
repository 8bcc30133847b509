/** What is written beside atoms, by rules; labels are dragged in the figure. */
import { useState, type ReactNode } from 'react';
import { newId, type Structure } from '@nagare/core/crystal/structure';
import { LABEL_RULES, MEASURE_LABELS, type LabelRule, type MeasureLabel } from '@nagare/core/draw/label-rules';
import { chosenWords } from '@nagare/core/depict/rule-words';
import { Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import { ChosenFields, firstChoice } from './ChosenFields.tsx';
import type { FigureOnTable } from './use-figure.ts';
import type { FigureLabels } from '@nagare/core/depict/figure';

const SAYINGS = [...LABEL_RULES.filter((r) => r !== 'none'), ...MEASURE_LABELS, 'none'] as const;
const WORDS: Readonly<Record<LabelRule | MeasureLabel, string>> = {
  label: 'its label',
  element: 'its element',
  site: 'its position (4f)',
  charge: 'its charge',
  occupancy: 'its occupancy, below one',
  valence: 'its bond-valence sum',
  displacement: 'its displacement, Å²',
  'label with code': 'its label, copies with their number above',
  length: 'the lengths of their bonds, Å',
  angle: 'the angles at them',
  none: 'nothing',
};

export function LabelsSheet({ s, table }: { s: Structure; table: FigureOnTable }): ReactNode {
  const { drawing, changeDrawing } = table;
  const { selection } = useProject('selection');
  const [open, setOpen] = useState<string | undefined>();
  const moved = Object.keys(drawing.moved).length;
  const add = (): void => {
    const which = selection.length ? firstChoice(s, 'selection', selection) : ({ kind: 'all' } as const);
    const rule: FigureLabels = { id: newId(), on: true, which, say: 'label' };
    changeDrawing(`labels ${rule.id}`, (d) => ({ ...d, labels: [...d.labels, rule] }));
    setOpen(rule.id);
  };
  const put = (rule: FigureLabels): void =>
    changeDrawing(`labels ${rule.id}`, (d) => ({ ...d, labels: d.labels.map((l) => (l.id === rule.id ? rule : l)) }));
  return (
    <Sheet
      title="Labels"
      fold
      shut
      action={
        <button className="word" onClick={add}>
          {selection.length ? 'Label what is picked' : 'Add labels'}
        </button>
      }
      state={
        drawing.labels.length
          ? 'Later ones win. Drag a label in the figure to put it elsewhere.'
          : 'Nothing is written beside atoms.'
      }
    >
      <ol className="figure-rules">
        {drawing.labels.map((l) => (
          <li key={l.id} className={l.on ? '' : 'is-off'}>
            <div className="row-head">
              <input
                type="checkbox"
                aria-label="These labels are written"
                checked={l.on}
                onChange={() => put({ ...l, on: !l.on })}
              />
              <button
                className="plain"
                aria-expanded={open === l.id}
                onClick={() => setOpen(open === l.id ? undefined : l.id)}
              >
                <b>{chosenWords(s, l)}</b> <span className="soft">{WORDS[l.say]}</span>
              </button>
              <button
                className="word off"
                aria-label="Remove these labels"
                onClick={() =>
                  changeDrawing(`labels ${l.id} removed`, (d) => ({
                    ...d,
                    labels: d.labels.filter((x) => x.id !== l.id),
                  }))
                }
              >
                ×
              </button>
            </div>
            {open === l.id && (
              <div className="row-body">
                <ChosenFields
                  id={`labels-${l.id}`}
                  s={s}
                  picked={selection}
                  chosen={l}
                  onChange={({ which, others }) => {
                    const { others: _, ...rest } = l;
                    put({ ...rest, which, ...(others ? { others } : {}) });
                  }}
                />
                <div className="pair">
                  <span className="soft">write</span>
                  <select
                    className="form-select form-select-sm"
                    aria-label="What is written"
                    value={l.say}
                    onChange={(e) => {
                      const say = SAYINGS.find((r) => r === e.target.value);
                      if (say) put({ ...l, say });
                    }}
                  >
                    {SAYINGS.map((r) => (
                      <option key={r} value={r}>
                        {WORDS[r]}
                      </option>
                    ))}
                  </select>
                </div>
              </div>
            )}
          </li>
        ))}
      </ol>
      {moved > 0 && (
        <button className="word" onClick={() => changeDrawing('labels put back', (d) => ({ ...d, moved: {} }))}>
          Put {moved} dragged {moved === 1 ? 'label' : 'labels'} back
        </button>
      )}
    </Sheet>
  );
}
