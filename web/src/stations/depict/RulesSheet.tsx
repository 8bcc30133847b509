/** The style rules of a drawing, later ones winning: added, changed, switched off, put in another order by dragging or Alt and arrows. */
import { useState, type ReactNode } from 'react';
import type { Structure } from '@nagare/core/crystal/structure';
import type { FigureRule } from '@nagare/core/depict/figure';
import { chosenWords, doesWords } from '@nagare/core/depict/rule-words';
import { newRule } from '@nagare/core/depict/templates';
import { Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import { ChosenFields, elementsOf, firstChoice } from './ChosenFields.tsx';
import { movedTo, withRule } from './figure-edits.ts';
import { RuleFields } from './RuleFields.tsx';
import type { FigureOnTable } from './use-figure.ts';

export function RulesSheet({ s, table }: { s: Structure; table: FigureOnTable }): ReactNode {
  const { drawing, changeDrawing } = table;
  const { selection } = useProject('selection');
  const [open, setOpen] = useState<string | undefined>();
  const [dragged, setDragged] = useState<number | undefined>();
  const add = (): void => {
    const which = selection.length
      ? firstChoice(s, 'selection', selection)
      : ({ kind: 'element', elements: elementsOf(s).slice(0, 1) } as const);
    const rule = newRule({ which, style: {} });
    changeDrawing(`rule ${rule.id}`, (d) => ({ ...d, rules: [...d.rules, rule] }));
    setOpen(rule.id);
  };
  const move = (from: number, to: number): void =>
    changeDrawing('order of rules', (d) => ({ ...d, rules: movedTo(d.rules, from, to) }));
  const n = drawing.rules.length;
  return (
    <Sheet
      title="Rules"
      fold
      action={
        <button className="word" onClick={add}>
          {selection.length ? 'Rule for what is picked' : 'Add a rule'}
        </button>
      }
      state={n ? `${n} ${n === 1 ? 'rule' : 'rules'}; later ones win.` : 'Everything is drawn as balls and sticks.'}
    >
      <ol className="figure-rules">
        {drawing.rules.map((rule, i) => (
          <RuleRow
            key={rule.id}
            s={s}
            rule={rule}
            isOpen={open === rule.id}
            onOpen={() => setOpen(open === rule.id ? undefined : rule.id)}
            onChange={(next) => changeDrawing(`rule ${rule.id}`, (d) => withRule(d, rule.id, () => next))}
            onRemove={() =>
              changeDrawing(`rule ${rule.id} removed`, (d) => ({
                ...d,
                rules: d.rules.filter((r) => r.id !== rule.id),
              }))
            }
            onMove={(by) => move(i, i + by)}
            onDrag={() => setDragged(i)}
            onDropped={() => {
              if (dragged !== undefined && dragged !== i) move(dragged, i);
              setDragged(undefined);
            }}
            isDragging={dragged !== undefined}
          />
        ))}
      </ol>
    </Sheet>
  );
}

interface RuleRowProps {
  readonly s: Structure;
  readonly rule: FigureRule;
  readonly isOpen: boolean;
  readonly isDragging: boolean;
  onOpen(): void;
  onChange(rule: FigureRule): void;
  onRemove(): void;
  onMove(by: number): void;
  onDrag(): void;
  onDropped(): void;
}

function RuleRow(props: RuleRowProps): ReactNode {
  const { s, rule, isOpen, isDragging, onOpen, onChange, onRemove, onMove, onDrag, onDropped } = props;
  const { selection } = useProject('selection');
  const words = chosenWords(s, rule);
  return (
    <li
      className={rule.on ? '' : 'is-off'}
      onDragOver={(e) => {
        if (isDragging) e.preventDefault();
      }}
      onDrop={(e) => {
        e.preventDefault();
        e.stopPropagation();
        onDropped();
      }}
    >
      <div className="row-head">
        <input
          type="checkbox"
          aria-label={`The rule for ${words} counts`}
          checked={rule.on}
          onChange={() => onChange({ ...rule, on: !rule.on })}
        />
        <button
          className="plain"
          draggable
          aria-expanded={isOpen}
          title="Click to change it, drag to move it, Alt with an arrow too"
          onDragStart={onDrag}
          onClick={onOpen}
          onKeyDown={(e) => {
            if (!e.altKey || (e.key !== 'ArrowUp' && e.key !== 'ArrowDown')) return;
            e.preventDefault();
            onMove(e.key === 'ArrowUp' ? -1 : 1);
          }}
        >
          <b>{words}</b> <span className="soft">{doesWords(rule)}</span>
        </button>
        <button className="word off" aria-label={`Remove the rule for ${words}`} onClick={onRemove}>
          ×
        </button>
      </div>
      {isOpen && (
        <div className="row-body">
          <ChosenFields
            id={`rule-${rule.id}`}
            s={s}
            picked={selection}
            chosen={rule}
            onChange={({ which, others }) => {
              const { others: _, ...rest } = rule;
              onChange({ ...rest, which, ...(others ? { others } : {}) });
            }}
          />
          <RuleFields rule={rule} onChange={onChange} />
        </div>
      )}
    </li>
  );
}
