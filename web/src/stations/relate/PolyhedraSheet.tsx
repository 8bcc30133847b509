/** Polyhedra around chosen centres. */
import type { ReactNode } from 'react';
import type { Structure } from '@nagare/core/crystal/structure';
import type { PolyhedronRule } from '@nagare/core/draw/polyhedra';
import { useQuery } from '@tanstack/react-query';
import { run } from '../../engine/engine.ts';
import { Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';

type Centre = PolyhedronRule['centre'];
const sameCentre = (p: Centre, q: Centre): boolean => JSON.stringify(p) === JSON.stringify(q);

const NEW: Omit<PolyhedronRule, 'centre'> = { opacity: 0.7, edges: true, showCentre: true };

export function PolyhedraSheet({ s }: { s: Structure }): ReactNode {
  const { looks, setLooks, selection, head } = useProject('looks', 'setLooks', 'selection', 'head');
  const offered = useQuery({
    queryKey: ['first look', head?.id],
    staleTime: Infinity,
    queryFn: () => run('first look', { structure: head!.structure! }).result,
  }).data;
  const { polyhedra } = looks;
  const set = (next: readonly PolyhedronRule[]): void => setLooks('polyhedra', { polyhedra: next });
  const add = (centre: Centre): void =>
    set([...polyhedra.filter((p) => !sameCentre(p.centre, centre)), { ...NEW, centre }]);
  const sites = [...new Set(selection.map((a) => a.site))].flatMap((id) => s.sites.find((x) => x.id === id) ?? []);
  const elements = [...new Set(s.sites.map((x) => x.element))].filter((e) => e !== 'H' && e !== 'D');
  const waiting = (offered?.polyhedra ?? []).filter(
    (element) => !polyhedra.some((p) => p.centre.kind === 'element' && p.centre.element === element),
  );
  return (
    <Sheet
      title="Polyhedra"
      fold
      shut
      state={stateOf(polyhedra.length, waiting)}
      action={
        waiting.length > 0 && (
          <button
            className="word"
            onClick={() =>
              set([
                ...polyhedra,
                ...waiting.map((element) => ({ ...NEW, centre: { kind: 'element' as const, element } })),
              ])
            }
          >
            Draw {waiting.join(', ')}
          </button>
        )
      }
    >
      {polyhedra.map((rule, i) => (
        <RuleRow
          key={JSON.stringify(rule.centre)}
          s={s}
          rule={rule}
          onChange={(next) => set(polyhedra.map((p, j) => (i === j ? next : p)))}
          onRemove={() => set(polyhedra.filter((_, j) => j !== i))}
        />
      ))}
      <p className="acts mb-0">
        <span className="soft">Around</span>
        {elements.map((element) => (
          <button key={element} className="word" onClick={() => add({ kind: 'element', element })}>
            {element}
          </button>
        ))}
        {sites.slice(0, 6).map((x) => (
          <button key={x.id} className="word" onClick={() => add({ kind: 'site', site: x.id })}>
            {x.label} alone
          </button>
        ))}
      </p>
    </Sheet>
  );
}

function stateOf(drawn: number, waiting: readonly string[]): string {
  if (drawn) return `${drawn} ${drawn === 1 ? 'rule' : 'rules'}.`;
  return waiting.length
    ? `None drawn; around ${waiting.join(' and ')} they would show how the crystal hangs together.`
    : 'None drawn.';
}

interface RowProps {
  readonly s: Structure;
  readonly rule: PolyhedronRule;
  onChange(rule: PolyhedronRule): void;
  onRemove(): void;
}

function centreName(s: Structure, { centre }: PolyhedronRule): string {
  if (centre.kind === 'element') return centre.element;
  return centre.kind === 'site' ? (s.sites.find((x) => x.id === centre.site)?.label ?? 'gone') : 'chosen atoms';
}

function RuleRow({ s, rule, onChange, onRemove }: RowProps): ReactNode {
  const name = centreName(s, rule);
  return (
    <div className="rule-row">
      <b>{name}</b>
      <input
        type="range"
        aria-label={`How solid the polyhedra around ${name} are`}
        min={0.1}
        max={1}
        step={0.05}
        value={rule.opacity}
        onChange={(e) => onChange({ ...rule, opacity: Number(e.target.value) })}
      />
      <button className="word" aria-pressed={rule.edges} onClick={() => onChange({ ...rule, edges: !rule.edges })}>
        Edges
      </button>
      <button
        className="word"
        aria-pressed={rule.showCentre}
        onClick={() => onChange({ ...rule, showCentre: !rule.showCentre })}
      >
        Centre
      </button>
      <button className="word off" onClick={onRemove}>
        Away
      </button>
    </div>
  );
}
