/** Another crystal of the compound beside this one: the molecules, how they are packed, the calculated patterns. */
import { useQuery } from '@tanstack/react-query';
import { useState, type ReactNode } from 'react';
import type { Structure } from '@nagare/core/crystal/structure';
import type { PatternLine } from '@nagare/core/powder/similarity';
import type { PlainTable } from '@nagare/core/publish/tables';
import type { FrameworkMatch } from '@nagare/core/symmetry/compare-frameworks';
import { frameworkWords, latticeWords } from '@nagare/core/symmetry/compare-words';
import { COMPARED, type ComparedCrystals } from '@nagare/core/tasks/compare-task';
import { run } from '../../engine/engine.ts';
import { Sheet } from '../../frame/parts.tsx';
import { structureOfChoice, useOtherStructures } from '../../store/other-structures.ts';
import { useProject } from '../../store/use-project.tsx';
import { OtherCrystal } from './OtherCrystal.tsx';
import { SetOfCrystals } from './SetOfCrystals.tsx';
import { TableActions } from './TableActions.tsx';

const hand = (mirrored: boolean): string => (mirrored ? ', as mirror images' : '');

/** What a match of packings means, in words. */
function packingWords({ matched, of }: { readonly matched: number; readonly of: number }): string {
  if (matched === of) return 'the same packing';
  return matched > of / 2 ? 'much of the packing in common' : matched > 2 ? 'a piece of the packing in common' : 'another packing'; // prettier-ignore
}

function stateOf({ crystals, framework, reason, similarity }: ComparedCrystals): string {
  const patterns = `Patterns are alike by ${similarity.toFixed(2)}.`;
  if (!crystals && framework) return `${framework.matched} of ${framework.of} atoms stand alike. ${patterns}`;
  if (!crystals) return `${reason} ${patterns}`;
  const { packing } = crystals;
  return `${packing.matched} of ${packing.of} molecules stand alike: ${packingWords(packing)}. ${patterns}`;
}

export function BesideSheet({ s }: { s: Structure }): ReactNode {
  const { head, looks, project } = useProject('head', 'looks', 'project');
  const { marks, projects } = useOtherStructures();
  const [choice, setChoice] = useState('');
  const query = useQuery({
    queryKey: ['compare crystals', head?.id, looks.bonding, choice],
    enabled: !!choice,
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
    queryFn: async () => {
      const two = await structureOfChoice(choice);
      if (!two) throw new Error('There is no model to compare with.');
      return run('compare crystals', { one: s, two }).result;
    },
  });
  const found = choice ? query.data : undefined;
  const name = [...marks, ...projects].find(([id]) => id === choice)?.[1] ?? '';
  const state = !choice
    ? 'Whether another form has the same molecules, packing and pattern.'
    : (query.error?.message ?? (found ? stateOf(found) : 'Laying one over the other…'));
  return (
    <Sheet title="Beside another crystal" fold state={state}>
      <OtherCrystal choice={choice} onChoose={setChoice} />
      {found?.crystals && (
        <table className="relate" aria-label="What is alike">
          <tbody>
            <tr>
              <td>the molecule by itself</td>
              <td className="n">
                {found.crystals.molecules.rms.toFixed(3)} Å{hand(found.crystals.molecules.mirrored)}
              </td>
            </tr>
            <tr>
              <td>
                {found.crystals.packing.matched} of {found.crystals.packing.of} molecules around it
              </td>
              <td className="n">
                {found.crystals.packing.rms.toFixed(3)} Å{hand(found.crystals.packing.mirrored)}
              </td>
            </tr>
          </tbody>
        </table>
      )}
      {found?.framework && <Framework match={found.framework} names={[project.name, name]} />}
      {found?.apart && <p className="mb-1">{found.apart}</p>}
      {found && <Patterns lines={found.lines} names={[project.name, name]} />}
      <SetOfCrystals s={s} />
    </Sheet>
  );
}

/** How the lattices are related, and where each atom went. */
function Framework({ match, names }: { match: FrameworkMatch; names: readonly [string, string] }): ReactNode {
  const { project } = useProject('project');
  return (
    <>
      <p className="mb-1">{latticeWords(match)}</p>
      <p className="mb-1">{frameworkWords(match)}</p>
      <details>
        <summary>Shifts of the sites</summary>
        <table className="relate mb-1" aria-label="Sites laid over each other">
          <thead>
            <tr>
              <th>{names[0]}</th>
              <th>{names[1]}</th>
              <th className="n">shift, Å</th>
            </tr>
          </thead>
          <tbody>
            {match.sites.slice(0, MOST_SITES).map((x) => (
              <tr key={`${x.one} ${x.two}`}>
                <td>{x.one}</td>
                <td>{x.two}</td>
                <td className="n">{x.shift.toFixed(3)}</td>
              </tr>
            ))}
          </tbody>
        </table>
        <p className="acts mb-1">
          <TableActions table={() => shiftTable(match, names)} fileName={`${project.name}-shifts.csv`} />
        </p>
      </details>
    </>
  );
}

const MOST_SITES = 60;

const shiftTable = (match: FrameworkMatch, names: readonly [string, string]): PlainTable => ({
  title: 'Sites laid over each other',
  columns: [...names, 'shift, Å'],
  rows: match.sites.map((x) => [x.one, x.two, x.shift.toFixed(4)]),
  notes: [latticeWords(match), frameworkWords(match)],
});

const WIDTH = 360,
  HALF = 62,
  FOOT = 16;

/** Lines of both patterns from one axis, the first upwards. */
function Patterns({ lines, names }: { lines: ComparedCrystals['lines']; names: readonly [string, string] }): ReactNode {
  const { from, to, wavelength } = COMPARED;
  const x = (t: number): string => ((WIDTH * (t - from)) / (to - from)).toFixed(1);
  const path = (list: readonly PatternLine[], sign: 1 | -1): string => {
    const most = Math.max(1e-9, ...list.map((l) => l.intensity));
    return list
      .filter((l) => l.intensity > 0.004 * most)
      .map((l) => `M${x(l.twoTheta)} ${HALF}V${(HALF - sign * (HALF - 4) * (l.intensity / most)).toFixed(1)}`)
      .join('');
  };
  return (
    <figure className="beside-patterns">
      <svg viewBox={`0 0 ${WIDTH} ${2 * HALF + FOOT}`} role="img" aria-label="Calculated patterns of both">
        <path className="axis" d={`M0 ${HALF}H${WIDTH}`} />
        <path className="one" d={path(lines[0], 1)} />
        <path className="two" d={path(lines[1], -1)} />
        {[10, 20, 30, 40].map((t) => (
          <text key={t} x={x(t)} y={2 * HALF + 12} textAnchor="middle">
            {t}°
          </text>
        ))}
      </svg>
      <figcaption className="soft fine">
        <span className="one">{names[0]}</span> upwards, <span className="two">{names[1]}</span> downwards; 2θ at{' '}
        {wavelength} Å, lines within 1° count as alike the more the nearer they are.
      </figcaption>
    </figure>
  );
}
