/** A definition in its sentence, its parts to be changed where they stand, and what the last change did. */
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import {
  CONTACT_KINDS,
  definitionWords,
  LINE_STYLES,
  SHIPPED,
  type ContactKind,
  type Definition,
  type LengthLimit,
} from '@nagare/core/contacts/definition';
import type { Contact } from '@nagare/core/contacts/find-contacts';
import { ROLES } from '@nagare/core/contacts/roles';
import type { Structure } from '@nagare/core/crystal/structure';
import type { FoundContacts } from '@nagare/core/tasks/contacts-task';
import { NumberField } from '../../frame/parts.tsx';
import { changeWords } from './contact-words.ts';
import { isOwn } from './kept-definitions.ts';

const KIND_WORDS: Readonly<Record<ContactKind, string>> = {
  hydrogen: 'over a hydrogen',
  sigma: 'along the bond behind it',
  close: 'any two atoms',
  face: 'onto the face of a ring',
  rings: 'two rings',
};

interface DefinitionFieldsProps {
  readonly d: Definition;
  readonly s: Structure;
  readonly found: FoundContacts | undefined;
  onChange(d: Definition): void;
  onCopy(): void;
  onRemove(): void;
}

export function DefinitionFields({ d, s, found, onChange, onCopy, onRemove }: DefinitionFieldsProps): ReactNode {
  const mine = useMemo(() => found?.contacts.filter((c) => c.definition === d.id) ?? [], [found, d.id]);
  const news = useChange(s, mine);
  const shipped = SHIPPED.find((x) => x.id === d.id);
  const words = (list: readonly string[]): string => list.join(', ');
  const who = (part: 'givers' | 'takers') => (text: string) => {
    const list = text
      .split(',')
      .map((x) => x.trim())
      .filter(Boolean);
    if (list.length) onChange({ ...d, [part]: list });
  };
  const limit = (part: 'near' | 'far') => (to: LengthLimit | undefined) => {
    const { [part]: _, ...rest } = d;
    onChange(to ? { ...rest, [part]: to } : rest);
  };
  return (
    <div className="definition">
      <p className="soft fine mb-1">{definitionWords(d)}</p>
      {isOwn(d) && <TextPart label="Name" value={d.name} onChange={(name) => name && onChange({ ...d, name })} />}
      <div className="triple">
        <Choice
          label="Kind of contact"
          value={d.kind}
          options={CONTACT_KINDS.map((k) => [k, KIND_WORDS[k]])}
          onChange={(kind) => onChange({ ...d, kind })}
        />
        <TextPart label="Who gives" value={words(d.givers)} onChange={who('givers')} hint={ROLES.join(', ')} />
        <span className="soft">to</span>
        <TextPart label="Who takes" value={words(d.takers)} onChange={who('takers')} hint={ROLES.join(', ')} />
      </div>
      {(d.kind === 'hydrogen' || d.kind === 'face') && (
        <LimitPart id={`near-${d.id}`} name="H⋯A" limit={d.near} onChange={limit('near')} />
      )}
      <LimitPart
        id={`far-${d.id}`}
        name={d.kind === 'hydrogen' ? 'D⋯A' : 'distance'}
        limit={d.far}
        onChange={limit('far')}
      />
      <div className="triple">
        <NumberField
          id={`angle-${d.id}`}
          label="Least angle, °"
          value={d.leastAngle}
          digits={0}
          step={5}
          min={0}
          max={180}
          unit="° at least"
          onChange={(leastAngle) => onChange({ ...d, leastAngle })}
        />
        <Choice
          label="Where"
          value={d.where}
          options={[
            ['anywhere', 'anywhere'],
            ['between', 'between molecules'],
            ['inside', 'inside a molecule'],
          ]}
          onChange={(where) => onChange({ ...d, where })}
        />
        {d.where !== 'between' && (
          <NumberField
            id={`bonds-${d.id}`}
            label="Bonds between, inside a molecule"
            value={d.leastBonds}
            digits={0}
            step={1}
            min={0}
            max={12}
            unit="bonds between"
            onChange={(n) => onChange({ ...d, leastBonds: Math.round(n) })}
          />
        )}
        {d.kind === 'hydrogen' && (
          <Choice
            label="Hydrogens"
            value={d.hydrogens}
            options={[
              ['where there are any', 'likely ones without hydrogens too'],
              ['asked for', 'only with hydrogens'],
            ]}
            onChange={(hydrogens) => onChange({ ...d, hydrogens })}
          />
        )}
        <Choice
          label="Line"
          value={d.line}
          options={LINE_STYLES.map((l) => [l, l])}
          onChange={(line) => onChange({ ...d, line })}
        />
      </div>
      <p className="acts mb-1">
        <button className="word" onClick={onCopy}>
          Make one of my own from it
        </button>
        {shipped && d !== shipped && (
          <button className="word" onClick={() => onChange(shipped)}>
            as it was
          </button>
        )}
        {isOwn(d) && (
          <button className="word" onClick={onRemove}>
            Remove it
          </button>
        )}
      </p>
      {news && (
        <p className="fine mb-1" role="status">
          {news}
        </p>
      )}
    </div>
  );
}

interface ChoiceProps<T extends string> {
  readonly label: string;
  readonly value: T;
  readonly options: readonly (readonly [T, string])[];
  onChange(value: T): void;
}

function Choice<T extends string>({ label, value, options, onChange }: ChoiceProps<T>): ReactNode {
  return (
    <select
      className="form-select form-select-sm"
      aria-label={label}
      value={value}
      onChange={(e) => {
        const chosen = options.find(([id]) => id === e.target.value);
        if (chosen) onChange(chosen[0]);
      }}
    >
      {options.map(([id, words]) => (
        <option key={id} value={id}>
          {words}
        </option>
      ))}
    </select>
  );
}

interface LimitPartProps {
  readonly id: string;
  readonly name: string;
  readonly limit: LengthLimit | undefined;
  onChange(limit: LengthLimit | undefined): void;
}

/** One of the two lengths: not asked for, a range, or against the sum of radii. */
function LimitPart({ id, name, limit, onChange }: LimitPartProps): ReactNode {
  return (
    <div className="triple">
      <span className="soft">{name}</span>
      <Choice
        label={`${name} is asked for`}
        value={limit?.by ?? 'none'}
        options={[
          ['none', 'as it comes'],
          ['length', 'in a range'],
          ['radii', 'by radii'],
        ]}
        onChange={(by) =>
          onChange(by === 'none' ? undefined : by === 'radii' ? { by, beyond: 0 } : { by, from: 0, to: 3 })
        }
      />
      {limit?.by === 'length' && (
        <>
          <NumberField
            id={`${id}-from`}
            label={`${name}, shortest, Å`}
            value={limit.from}
            digits={2}
            step={0.05}
            min={0}
            max={limit.to}
            unit="to"
            onChange={(from) => onChange({ ...limit, from })}
          />
          <NumberField
            id={`${id}-to`}
            label={`${name}, longest, Å`}
            value={limit.to}
            digits={2}
            step={0.05}
            min={limit.from}
            max={8}
            unit="Å"
            onChange={(to) => onChange({ ...limit, to })}
          />
        </>
      )}
      {limit?.by === 'radii' && (
        <NumberField
          id={`${id}-beyond`}
          label={`${name}, beyond the sum of radii, Å`}
          value={limit.beyond}
          digits={2}
          step={0.05}
          min={-3}
          max={3}
          unit="Å beyond the radii"
          onChange={(beyond) => onChange({ ...limit, beyond })}
        />
      )}
    </div>
  );
}

interface TextPartProps {
  readonly label: string;
  readonly value: string;
  readonly hint?: string;
  onChange(text: string): void;
}

function TextPart({ label, value, hint, onChange }: TextPartProps): ReactNode {
  const [text, setText] = useState(value);
  return (
    <input
      className="form-control form-control-sm who"
      aria-label={label}
      title={hint && `Elements, "any", or: ${hint}`}
      value={text}
      onChange={(e) => setText(e.target.value)}
      onBlur={() => onChange(text.trim())}
      onKeyDown={(e) => {
        if (e.key === 'Enter') onChange(text.trim());
      }}
    />
  );
}

/** What the last change of a list let in and put out. */
function useChange(s: Structure, now: readonly Contact[]): string {
  const before = useRef(now);
  const [news, setNews] = useState('');
  useEffect(() => {
    if (before.current === now) return;
    const text = changeWords(s, before.current, now);
    before.current = now;
    if (text) setNews(text);
  }, [s, now]);
  return news;
}
