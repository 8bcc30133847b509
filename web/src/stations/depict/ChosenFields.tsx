/** Who a rule speaks of, chosen in fields: a kind, and what that kind needs. */
import type { ReactNode } from 'react';
import type { AtomRef } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Chosen } from '@nagare/core/depict/figure';
import { groupName, type Which } from '@nagare/core/draw/style';
import { NumberField } from '../../frame/parts.tsx';

type Kind = Which['kind'];
const KINDS: readonly (readonly [Kind, string])[] = [
  ['all', 'everything'],
  ['element', 'elements'],
  ['site', 'sites'],
  ['selection', 'the picked atoms'],
  ['molecule', 'the molecules of the picked atoms'],
  ['coordination', 'atoms with so many neighbours'],
  ['bonded to', 'what is bonded to'],
  ['near', 'what lies near to'],
  ['nets', 'molecules, chains, layers, frameworks'],
  ['group', 'disorder groups'],
  ['copies', 'copies by symmetry'],
  ['originals', 'the atoms of the model'],
];
const NETS = ['molecules and lone ions', 'chains', 'layers', 'frameworks'] as const;

export const elementsOf = (s: Structure): string[] => [...new Set(s.sites.map((x) => x.element))];
const groupsOf = (s: Structure): string[] => [...new Set(s.sites.flatMap((x) => groupName(x) ?? []))].sort();

/** A choice of a kind that means something at once. */
export function firstChoice(s: Structure, kind: Kind, picked: readonly AtomRef[]): Which {
  const elements = elementsOf(s).slice(0, 1);
  switch (kind) {
    case 'element':
    case 'bonded to':
      return { kind, elements };
    case 'site':
      return {
        kind,
        sites: picked.length ? [...new Set(picked.map((a) => a.site))] : s.sites.slice(0, 1).map((x) => x.id),
      };
    case 'selection':
      return { kind, atoms: picked };
    case 'molecule':
      return { kind, of: picked };
    case 'coordination':
      return { kind, elements, number: 4 };
    case 'near':
      return { kind, elements, distance: 3 };
    case 'nets':
      return { kind, dimension: 0 };
    case 'group':
      return { kind, groups: groupsOf(s).slice(-1) };
    default:
      return { kind };
  }
}

interface ChosenFieldsProps {
  readonly id: string;
  readonly s: Structure;
  readonly picked: readonly AtomRef[];
  readonly chosen: Chosen;
  onChange(chosen: Chosen): void;
}

export function ChosenFields({ id, s, picked, chosen, onChange }: ChosenFieldsProps): ReactNode {
  const { which, others } = chosen;
  const withWhich = (next: Which): void => onChange({ which: next, ...(others ? { others } : {}) });
  const offered = KINDS.filter(
    ([kind]) =>
      kind === which.kind ||
      (((kind !== 'selection' && kind !== 'molecule') || picked.length > 0) &&
        (kind !== 'group' || groupsOf(s).length > 0)),
  );
  return (
    <div className="chosen-fields">
      <select
        className="form-select form-select-sm"
        aria-label="Who it speaks of"
        value={which.kind}
        onChange={(e) => {
          const kind = KINDS.find(([k]) => k === e.target.value)?.[0];
          if (kind) withWhich(firstChoice(s, kind, picked));
        }}
      >
        {offered.map(([kind, name]) => (
          <option key={kind} value={kind}>
            {name}
          </option>
        ))}
      </select>
      <KindFields id={id} s={s} which={which} onChange={withWhich} />
      <label className="word">
        <input
          type="checkbox"
          checked={!!others}
          onChange={() => onChange({ which, ...(others ? {} : { others: true }) })}
        />{' '}
        everything but those
      </label>
    </div>
  );
}

interface ChipsProps {
  readonly name: string;
  readonly all: readonly (readonly [string, string])[];
  readonly on: readonly string[];
  onChange(on: string[]): void;
}

/** Names that are switched on and off. */
function Chips({ name, all, on, onChange }: ChipsProps): ReactNode {
  return (
    <span className="chips" role="group" aria-label={name}>
      {all.map(([id, text]) => (
        <button
          key={id}
          className="chip"
          aria-pressed={on.includes(id)}
          onClick={() => onChange(on.includes(id) ? on.filter((x) => x !== id) : [...on, id])}
        >
          {text}
        </button>
      ))}
    </span>
  );
}

interface KindFieldsProps {
  readonly id: string;
  readonly s: Structure;
  readonly which: Which;
  onChange(which: Which): void;
}

function KindFields({ id, s, which, onChange }: KindFieldsProps): ReactNode {
  const elements = elementsOf(s).map((e) => [e, e] as const);
  return (
    <>
      {'elements' in which && (
        <Chips
          name="Elements"
          all={elements}
          on={which.elements}
          onChange={(on) => onChange({ ...which, elements: on })}
        />
      )}
      {which.kind === 'site' && (
        <Chips
          name="Sites"
          all={s.sites.map((x) => [x.id, x.label] as const)}
          on={which.sites}
          onChange={(sites) => onChange({ ...which, sites })}
        />
      )}
      {which.kind === 'group' && (
        <Chips
          name="Disorder groups"
          all={groupsOf(s).map((g) => [g, g] as const)}
          on={which.groups}
          onChange={(groups) => onChange({ ...which, groups })}
        />
      )}
      {which.kind === 'coordination' && (
        <label>
          with{' '}
          <NumberField
            id={`${id}-number`}
            value={which.number}
            step={1}
            digits={0}
            min={0}
            max={24}
            onChange={(n) => onChange({ ...which, number: Math.round(n) })}
          />{' '}
          neighbours
        </label>
      )}
      {which.kind === 'near' && (
        <label>
          within{' '}
          <NumberField
            id={`${id}-distance`}
            value={which.distance}
            step={0.1}
            digits={2}
            min={0.1}
            max={20}
            unit="Å"
            onChange={(distance) => onChange({ ...which, distance })}
          />
        </label>
      )}
      {which.kind === 'nets' && (
        <select
          className="form-select form-select-sm"
          aria-label="Which nets"
          value={which.dimension}
          onChange={(e) => onChange({ ...which, dimension: ([0, 1, 2, 3] as const)[Number(e.target.value)]! })}
        >
          {NETS.map((name, i) => (
            <option key={name} value={i}>
              {name}
            </option>
          ))}
        </select>
      )}
      {(which.kind === 'selection' || which.kind === 'molecule') && (
        <span className="soft">{which.kind === 'selection' ? which.atoms.length : which.of.length} picked.</span>
      )}
    </>
  );
}
