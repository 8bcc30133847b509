/** Rings by what they are made of, drawn as discs, and how their planes lie to one another. */
import { useMemo, useState, type ReactNode } from 'react';
import { siteOf } from '@nagare/core/crystal/atom-ref';
import { orthogonalization } from '@nagare/core/crystal/cell';
import { newId, type Structure } from '@nagare/core/crystal/structure';
import { formatMeasured, type Measured } from '@nagare/core/crystal/uncertainty';
import type { RingReading, RingRelation } from '@nagare/core/geometry/ring-readings';
import { fusedSystems } from '@nagare/core/geometry/rings';
import { deviationsFrom, readThings } from '@nagare/core/geometry/things';
import { apply3, dot, transpose3 } from '@nagare/core/math/matrix3';
import type { Relations } from '@nagare/core/tasks/relate-task';
import { NumberField, PickRow, Sheet } from '../../frame/parts.tsx';
import { atomNames } from '../../frame/selection-measure.ts';
import { useProject } from '../../store/use-project.tsx';
import { joined, netAround } from './drawing.ts';
import { chosenRelations, RELATION_COLUMNS, ringGroups, type RelationColumn, type RingGroup } from './ring-groups.ts';
import { formWords, pairAtoms, pairName, ringAtoms, SOURCE_WORDS } from './words.ts';

const written = (m: Measured, digits: number): string => formatMeasured(m.value, m.su, digits);

export interface RingsProps {
  readonly s: Structure;
  readonly found: Relations;
  /** Keys of the groups that are chosen; all rings where none is. */
  readonly groups: ReadonlySet<string>;
}

export function RingsSheet({
  s,
  found,
  groups,
  onGroups,
}: RingsProps & { onGroups(next: ReadonlySet<string>): void }): ReactNode {
  const { setDiscs } = useProject('setDiscs');
  const { rings } = found;
  const all = useMemo(() => ringGroups(rings), [rings]);
  const [chosen, setChosen] = useState<number | undefined>();
  const flip = (g: RingGroup): void => {
    const next = new Set(groups);
    if (!next.delete(g.key)) next.add(g.key);
    onGroups(next);
    setDiscs(all.filter((x) => next.has(x.key)).flatMap((x) => x.rings.map((i) => rings[i]!.atoms)));
  };
  const shown = groups.size ? all.filter((g) => groups.has(g.key)).flatMap((g) => g.rings) : rings.map((_, i) => i);
  const state = rings.length
    ? `${rings.length} ${rings.length === 1 ? 'ring' : 'rings'} of up to twelve atoms. ${SOURCE_WORDS[rings[0]!.source]}`
    : 'No rings of up to twelve atoms.';
  return (
    <Sheet title="Rings" state={state} fold>
      {all.length > 0 && (
        <div className="groups">
          {all.map((g) => (
            <label key={g.key} className="word">
              <input type="checkbox" checked={groups.has(g.key)} onChange={() => flip(g)} /> {g.rings.length} of{' '}
              {g.words}
            </label>
          ))}
        </div>
      )}
      {rings.length > 0 && <RingTable s={s} rings={rings} shown={shown} chosen={chosen} onChoose={setChosen} />}
      {chosen !== undefined && rings[chosen] && <RingPlane s={s} ring={rings[chosen]} index={chosen} />}
      <FusedSystems s={s} rings={rings} />
    </Sheet>
  );
}

/** Rings that share bonds, each system as one plane. */
function FusedSystems({ s, rings }: { s: Structure; rings: readonly RingReading[] }): ReactNode {
  const { select, setBeside, looks, setLooks, result } = useProject(
    'select',
    'setBeside',
    'looks',
    'setLooks',
    'result',
  );
  const systems = useMemo(() => {
    const found = fusedSystems(
      s,
      rings.map((r) => r.atoms),
    );
    return found.map((list) => ({
      list,
      atoms: joined(
        s,
        [],
        list.flatMap((i) => rings[i]!.atoms),
      ),
    }));
  }, [s, rings]);
  const covariance = result?.covariance;
  if (!systems.length) return null;
  return (
    <div className="plane-of-ring">
      {systems.map(({ list, atoms }) => {
        const name = `rings ${list.map((i) => i + 1).join(', ')} as one`;
        const [rms] = readThings(s, [{ kind: 'plane', atoms }], covariance).readings;
        return (
          <p key={name} className="mb-0">
            <button
              className="word"
              onClick={() => {
                setBeside(atoms);
                select(atoms);
              }}
            >
              {name}
            </button>{' '}
            {atoms.length} atoms, r.m.s. {written(rms!, 3)} Å{' '}
            <button
              className="word"
              onClick={() =>
                setLooks('thing', { things: [...looks.things, { id: newId(), name, thing: { kind: 'plane', atoms } }] })
              }
            >
              Keep the plane
            </button>
          </p>
        );
      })}
    </div>
  );
}

interface TableProps {
  readonly s: Structure;
  readonly rings: readonly RingReading[];
  readonly shown: readonly number[];
  readonly chosen: number | undefined;
  onChoose(i: number): void;
}

function RingTable({ s, rings, shown, chosen, onChoose }: TableProps): ReactNode {
  const { select, setBeside } = useProject('select', 'setBeside');
  return (
    <table className="relate">
      <thead>
        <tr>
          <th>ring</th>
          <th>atoms</th>
          <th className="n">r.m.s., Å</th>
          <th className="n">Q, Å</th>
          <th>form</th>
        </tr>
      </thead>
      <tbody>
        {shown.map((i) => {
          const r = rings[i]!;
          return (
            <PickRow
              key={i}
              chosen={chosen === i}
              onPick={() => {
                onChoose(i);
                setBeside(r.atoms);
                select(r.atoms);
              }}
            >
              <td className="name">
                {i + 1} {r.members}
              </td>
              <td className="atoms">{ringAtoms(s, r)}</td>
              <td className="n">{r.rms.toFixed(3)}</td>
              <td className="n">{r.puckering ? r.puckering.q.toFixed(3) : ''}</td>
              <td>{formWords(s, r)}</td>
            </PickRow>
          );
        })}
      </tbody>
    </table>
  );
}

/** The plane of one ring: its equation in both kinds of axes, each atom's distance from it, and that of further atoms. */
function RingPlane({ s, ring, index }: { s: Structure; ring: RingReading; index: number }): ReactNode {
  const { looks, setLooks, selection, result } = useProject('looks', 'setLooks', 'selection', 'result');
  const m = orthogonalization(s.cell);
  const height = dot(ring.normal, ring.centroid);
  const fractional = apply3(transpose3(m), ring.normal);
  const own = new Set(ring.atoms.map((a) => a.site));
  const further = selection.filter((a) => siteOf(s, a) && !own.has(a.site)).slice(0, 24);
  const deviations = deviationsFrom(s, ring.atoms, further, result?.covariance);
  const name = `ring ${index + 1}`;
  const names = atomNames(s, [...ring.atoms, ...further]);
  return (
    <div className="plane-of-ring">
      <p className="mb-1">
        Plane of {name}: {equation(fractional, ['x', 'y', 'z'])} = {height.toFixed(3)} Å; Cartesian{' '}
        {equation(ring.normal, ['X', 'Y', 'Z'])} = {height.toFixed(3)} Å.
      </p>
      <p className="mb-1 mono fine">
        {names
          .slice(0, ring.atoms.length)
          .map((n, i) => `${n} ${written(ring.deviations[i]!, 3)}`)
          .join('  ')}
      </p>
      {further.length > 0 ? (
        <p className="mb-1 mono fine" data-testid="further-atoms">
          {names
            .slice(ring.atoms.length)
            .map((n, i) => `${n} ${written(deviations[i]!, 3)}`)
            .join('  ')}
        </p>
      ) : (
        <p className="soft mb-1">Select further atoms to read how far they stand from it.</p>
      )}
      <button
        className="word"
        onClick={() =>
          setLooks('thing', {
            things: [...looks.things, { id: newId(), name, thing: { kind: 'plane', atoms: ring.atoms } }],
          })
        }
      >
        Keep the plane to measure with
      </button>
    </div>
  );
}

/** "2.31 x − 0.44 y + 7.02 z". */
const equation = (k: readonly number[], names: readonly string[]): string =>
  names.map((n, i) => `${k[i]! < 0 ? '− ' : i ? '+ ' : ''}${Math.abs(k[i]!).toFixed(3)} ${n}`).join(' ');

const COLUMN_WORDS: Readonly<Record<RelationColumn, string>> = {
  rings: 'rings',
  angle: 'angle, °',
  centroids: 'centroids, Å',
  plane: 'from plane, Å',
  offset: 'offset, Å',
};

export function RelationsSheet({
  s,
  found,
  groups,
  reach,
  onReach,
}: RingsProps & { reach: number; onReach(v: number): void }): ReactNode {
  const { select, setBeside } = useProject('select', 'setBeside');
  const [chosen, setChosen] = useState<string | undefined>();
  const [order, setOrder] = useState<{ column: RelationColumn; falling: boolean }>({
    column: 'centroids',
    falling: false,
  });
  const { rings, relations } = found;
  const shown = useMemo(() => {
    const members = groups.size
      ? new Set(ringGroups(rings).flatMap((g) => (groups.has(g.key) ? g.rings : [])))
      : undefined;
    return chosenRelations(relations, members, order.column, order.falling);
  }, [rings, relations, groups, order]);
  const take = (r: RingRelation): void => {
    setChosen(pairName(r));
    const atoms = pairAtoms(s, rings, r);
    setBeside(joined(s, atoms, netAround(s, atoms.at(-1)!, BESIDE)));
    select(atoms);
  };
  return (
    <Sheet
      title="Planes to one another"
      fold
      state={`${shown.length} ${shown.length === 1 ? 'pair' : 'pairs'} of rings within ${reach} Å, copies by symmetry included.`}
      action={
        <span className="reach">
          <label htmlFor="reach" className="soft">
            within
          </label>
          <NumberField
            id="reach"
            value={reach}
            digits={1}
            step={0.5}
            unit="Å"
            onChange={(v) => v > 0 && v <= 20 && onReach(v)}
          />
        </span>
      }
    >
      {shown.length > 0 && (
        <table className="relate">
          <thead>
            <tr>
              {RELATION_COLUMNS.map((c) => (
                <th
                  key={c}
                  className={c === 'rings' ? '' : 'n'}
                  aria-sort={order.column === c ? (order.falling ? 'descending' : 'ascending') : 'none'}
                >
                  <button
                    className="plain"
                    onClick={() => setOrder({ column: c, falling: order.column === c && !order.falling })}
                  >
                    {COLUMN_WORDS[c]}
                    {order.column === c ? (order.falling ? ' ▾' : ' ▴') : ''}
                  </button>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {shown.slice(0, MOST_ROWS).map((r) => (
              <PickRow key={pairName(r)} chosen={chosen === pairName(r)} onPick={() => take(r)}>
                <td>
                  <span className="name">{pairName(r)}</span>
                  <span className="kind">{r.kind}</span>
                </td>
                <td className="n">{written(r.angle, 1)}</td>
                <td className="n">{written(r.centroidDistance, 3)}</td>
                <td className="n">{written(r.perpendicular1, 3)}</td>
                <td className="n">{r.offset.toFixed(2)}</td>
              </PickRow>
            ))}
          </tbody>
        </table>
      )}
      {shown.length > MOST_ROWS && (
        <p className="soft mb-0">
          The first {MOST_ROWS} are listed; choose groups of rings or a shorter reach for fewer.
        </p>
      )}
    </Sheet>
  );
}

/** Å to which a chain, layer or framework is drawn around the second ring of a pair. */
const BESIDE = 4;
/** Rows beyond which a table is no longer read. */
const MOST_ROWS = 200;
