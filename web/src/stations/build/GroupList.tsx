/** A space group chosen from a list, narrowed by system, centring, class and words. */
import { useId, useState, type ReactNode } from 'react';
import { prettySymbol } from '@nagare/core/crystal/settings';
import { groupsLike, pointGroupsOf, SYSTEMS, type SystemName } from '@nagare/core/symmetry/group-list';

const CENTRINGS = ['P', 'A', 'C', 'F', 'I', 'R'];

interface GroupListProps {
  readonly chosen: string;
  onChoose(symbol: string): void;
}

export function GroupList({ chosen, onChoose }: GroupListProps): ReactNode {
  const [open, setOpen] = useState(false);
  const [system, setSystem] = useState<SystemName | undefined>();
  const [centring, setCentring] = useState<string | undefined>();
  const [pointGroup, setPointGroup] = useState<string | undefined>();
  const [text, setText] = useState('');
  const list = open ? groupsLike({ system, centring, pointGroup, text }) : [];
  return (
    <div className="group-list">
      <button className="word" aria-expanded={open} onClick={() => setOpen(!open)}>
        {open ? 'Close the list' : 'Choose from a list'}
      </button>
      {open && (
        <>
          <div className="triple">
            <Choice
              label="System"
              any="any system"
              value={system}
              options={SYSTEMS}
              onChange={(x) => {
                setSystem(x);
                setPointGroup(undefined);
              }}
            />
            <Choice label="Centring" any="any centring" value={centring} options={CENTRINGS} onChange={setCentring} />
            <Choice
              label="Class"
              any="any class"
              value={pointGroup}
              options={pointGroupsOf(system)}
              onChange={setPointGroup}
            />
          </div>
          <input
            className="form-control form-control-sm"
            aria-label="Words, numbers or parts of symbols"
            placeholder="handed, polar, centrosymmetric, screw, glide, origins; 62; 21"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
          {list.length ? (
            <ul className="groups" aria-label="Groups that fit">
              {list.map((g) => (
                <li key={g.number}>
                  <button
                    className={g.symbol === chosen ? 'plain chosen' : 'plain'}
                    title={`${g.system}, class ${g.pointGroup}; ${g.words.join(', ')}`}
                    onClick={() => onChoose(g.symbol)}
                  >
                    <span className="soft">{g.number}</span> {prettySymbol(g.symbol)}
                  </button>
                </li>
              ))}
            </ul>
          ) : (
            <p className="soft">No group is all of that. Take one of the limits away.</p>
          )}
        </>
      )}
    </div>
  );
}

interface ChoiceProps<T extends string> {
  readonly label: string;
  readonly any: string;
  readonly value: T | undefined;
  readonly options: readonly T[];
  onChange(value: T | undefined): void;
}

function Choice<T extends string>({ label, any, value, options, onChange }: ChoiceProps<T>): ReactNode {
  const id = useId();
  return (
    <select
      id={id}
      className="form-select form-select-sm"
      aria-label={label}
      value={value ?? ''}
      onChange={(e) => onChange(options.find((o) => o === e.target.value))}
    >
      <option value="">{any}</option>
      {options.map((o) => (
        <option key={o} value={o}>
          {o}
        </option>
      ))}
    </select>
  );
}
