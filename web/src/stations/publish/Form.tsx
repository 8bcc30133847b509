/** What only the person knows, by subject, with the dictionary's meaning as help; checked while it is typed, remembered for the laboratory. */
import { useMemo, useState, type ReactNode } from 'react';
import {
  checkItem,
  experimentValue,
  formItems,
  missingItems,
  SUBJECTS,
  withItem,
  type DictionaryItem,
} from '@nagare/core/formats/dictionary';
import { DICTIONARY_ITEMS } from '@nagare/core/formats/dictionary-items';
import { Sheet } from '../../frame/parts.tsx';
import { updateProject } from '../../store/projects.ts';
import { useProject } from '../../store/use-project.tsx';
import { z } from 'zod';
import { remember, remembered } from '../../store/remembered.ts';

const LABORATORY = 'laboratory';
const ofLaboratory = (): Record<string, string> => remembered(LABORATORY, z.record(z.string(), z.string()), {});

export function FormSheet(): ReactNode {
  const { project } = useProject('project');
  const { experiment } = project;
  const missing = useMemo(() => missingItems(experiment), [experiment]);
  const known = ofLaboratory();
  const usual = DICTIONARY_ITEMS.filter((d) => d.laboratory && known[d.tag] && !experimentValue(experiment, d.tag));
  const [open, setOpen] = useState<string | undefined>(undefined);
  return (
    <Sheet
      title="Form"
      fold
      state={
        missing.length
          ? `${missing.length} items a journal asks for are open.`
          : 'Everything a journal asks for is filled in.'
      }
      action={
        usual.length ? (
          <button
            className="word"
            onClick={() =>
              void updateProject(project.id, {
                experiment: usual.reduce((e, d) => withItem(e, d.tag, known[d.tag]!), experiment),
              })
            }
          >
            Fill in {usual.length} as usual here
          </button>
        ) : undefined
      }
    >
      {SUBJECTS.map((subject) => {
        const items = formItems(subject),
          lacking = missing.filter((d) => d.group === subject).length;
        return (
          <details
            key={subject}
            open={open === subject}
            onToggle={(ev) => {
              if (ev.currentTarget.open) setOpen(subject);
              else if (open === subject) setOpen(undefined);
            }}
          >
            <summary>
              {subject}
              {lacking ? <span className="soft"> · {lacking} open</span> : ''}
            </summary>
            {open === subject && (
              <div className="form-items">
                {items.map((d) => (
                  <FormItem key={d.tag} item={d} value={experimentValue(experiment, d.tag) ?? ''} />
                ))}
              </div>
            )}
          </details>
        );
      })}
    </Sheet>
  );
}

function FormItem({ item: d, value }: { item: DictionaryItem; value: string }): ReactNode {
  const { project } = useProject('project');
  const [text, setText] = useState(value);
  const [focused, setFocused] = useState(false);
  const shown = focused ? text : value;
  const problem = checkItem(d.tag, shown);
  const apply = (v: string): void => {
    if (v.trim() === value.trim()) return;
    if (d.laboratory && v.trim()) remember(LABORATORY, { ...ofLaboratory(), [d.tag]: v.trim() });
    void updateProject(project.id, { experiment: withItem(project.experiment, d.tag, v) });
  };
  const id = `form${d.tag}`;
  const shared = {
    id,
    'aria-describedby': `${id}-help`,
    'aria-invalid': !!problem,
    className: `form-control form-control-sm${problem ? ' off' : ''}`,
    onFocus: () => {
      setText(value);
      setFocused(true);
    },
  };
  return (
    <div className="form-item">
      <label htmlFor={id} title={d.tag}>
        {d.title}
        {d.unit ? `, ${d.unit}` : ''}
        {d.asked && !value ? <span className="soft"> ○</span> : ''}
      </label>
      {d.values ? (
        <select
          {...shared}
          className="form-select form-select-sm"
          value={value}
          onBlur={() => setFocused(false)}
          onChange={(e) => apply(e.target.value)}
        >
          <option value="">not said</option>
          {d.values
            .filter((v) => v !== '.')
            .map((v) => (
              <option key={v} value={v}>
                {v}
              </option>
            ))}
        </select>
      ) : d.type === 'text' && /details|comment|address|exptl_refinement|preparation/.test(d.tag) ? (
        <textarea
          {...shared}
          rows={2}
          value={shown}
          onChange={(e) => setText(e.target.value)}
          onBlur={() => {
            setFocused(false);
            apply(text);
          }}
          onKeyDown={(e) => {
            if (e.key === 'Escape') {
              setText(value);
              e.stopPropagation();
            }
          }}
        />
      ) : (
        <input
          {...shared}
          value={shown}
          onChange={(e) => setText(e.target.value)}
          onBlur={() => {
            setFocused(false);
            if (!problem) apply(text);
          }}
          onKeyDown={(e) => {
            if (e.key === 'Enter') e.currentTarget.blur();
            if (e.key === 'Escape') {
              setText(value);
              e.stopPropagation();
            }
          }}
        />
      )}
      {(focused || problem) && (
        <small id={`${id}-help`} className={problem ? 'off' : 'soft'}>
          {problem ?? d.definition} {!problem && <span className="mono">{d.tag}</span>}
        </small>
      )}
    </div>
  );
}
