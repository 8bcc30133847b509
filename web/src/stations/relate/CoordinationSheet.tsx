/** What surrounds each centre: neighbours up to a cut, their shape, valences, and what the rule of radii says. */
import { useState, type ReactNode } from 'react';
import { originalRef, siteOf } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import type { Coordination } from '@nagare/core/geometry/coordination';
import type { Relations } from '@nagare/core/tasks/relate-task';
import { PickRow, Sheet } from '../../frame/parts.tsx';
import { atomName } from '../../frame/selection-measure.ts';
import { useProject } from '../../store/use-project.tsx';
import { PairHistogram } from './PairHistogram.tsx';
import { balanceWords, centreName, lengthMark, rangeWords, ruleWords } from './words.ts';

interface CoordinationProps {
  readonly s: Structure;
  readonly found: Relations;
}

const severalLengths = (c: Coordination): boolean => (c.lengthClasses.at(-1) ?? 0) > 0;

export function CoordinationSheet({ s, found }: CoordinationProps): ReactNode {
  const { select, setBeside, looks, setLooks } = useProject('select', 'setBeside', 'looks', 'setLooks');
  const { cuts } = looks;
  const [chosen, setChosen] = useState<number | undefined>();
  const [withAnions, setWithAnions] = useState(false);
  const { coordination, anions, globalInstability, balance } = found;
  if (!coordination.length) return null;
  const rows = withAnions ? [...coordination, ...anions] : coordination;
  const show = (c: Coordination): void => {
    const centre = originalRef(s.sites[c.site]!.id);
    setBeside(
      c.neighbours.map((n) => n.atom),
      c.neighbours.map((n, i) => ({
        things: [
          { kind: 'point', atoms: [centre] },
          { kind: 'point', atoms: [n.atom] },
        ],
        text: `${severalLengths(c) ? `${lengthMark(c.lengthClasses[i]!)} ` : ''}${formatMeasured(n.distance, n.su, 3)}`,
      })),
    );
    select([centre, ...c.neighbours.map((n) => n.atom)]);
  };
  const picked = rows.find((c) => c.site === chosen);
  return (
    <Sheet
      title="Coordination"
      fold
      state={
        globalInstability === undefined
          ? `${coordination.length} ${coordination.length === 1 ? 'centre' : 'centres'}.`
          : `Valence sums are off by ${globalInstability.toFixed(2)} on the whole (global instability).`
      }
    >
      <table className="relate">
        <thead>
          <tr>
            <th>centre</th>
            <th className="n">number</th>
            <th>shape</th>
            <th className="n">lengths, Å</th>
            <th className="n">valence</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((c) => (
            <PickRow
              key={c.site}
              chosen={chosen === c.site}
              onPick={() => {
                setChosen(c.site);
                show(c);
              }}
            >
              <td className="name">{centreName(s, c)}</td>
              <td className="n">{c.neighbours.length}</td>
              <td>{c.shapes[0] ? `${c.shapes[0].name}, ${c.shapes[0].measure.toFixed(2)}` : ''}</td>
              <td className="n range">{rangeWords(c)}</td>
              <td className="n">{c.valenceSum === undefined ? '' : c.valenceSum.toFixed(2)}</td>
            </PickRow>
          ))}
        </tbody>
      </table>
      {anions.length > 0 && (
        <label className="word">
          <input type="checkbox" checked={withAnions} onChange={() => setWithAnions(!withAnions)} /> the anions too
        </label>
      )}
      {balance && (
        <div className="balance">
          {balanceWords(balance).map((w) => (
            <p key={w} className="mb-0 soft">
              {w}
            </p>
          ))}
        </div>
      )}
      {picked && (
        <Centre
          s={s}
          c={picked}
          onCut={(cut) => {
            const { id } = s.sites[picked.site]!;
            const { [id]: _, ...others } = cuts;
            setLooks(`cut of ${id}`, { cuts: cut === undefined ? others : { ...others, [id]: cut } });
          }}
          moved={s.sites[picked.site]!.id in cuts}
        />
      )}
    </Sheet>
  );
}

interface CentreProps {
  readonly s: Structure;
  readonly c: Coordination;
  readonly moved: boolean;
  /** `undefined` goes back to the largest gap. */
  onCut(cut: number | undefined): void;
}

/** Everything about one centre. */
function Centre({ s, c, moved, onCut }: CentreProps): ReactNode {
  const figures: readonly (readonly [string, string | undefined])[] = [
    ['effective number', c.effective.toFixed(2)],
    ['volume', c.volume ? `${c.volume.toFixed(2)} Å³` : undefined],
    ['distortion of lengths', c.distortion.toFixed(4)],
    ['quadratic elongation', c.elongation?.toFixed(4)],
    ['variance of angles', c.angleVariance === undefined ? undefined : `${c.angleVariance.toFixed(1)} °²`],
  ];
  const marks = severalLengths(c);
  return (
    <div className="centre-of">
      <p className="mb-1 d-flex align-items-center gap-2">
        <PairHistogram
          row={{
            elements: [centreName(s, c), 'neighbours'],
            lengths: c.distances.map((distance) => ({ distance, count: 1 })),
            cut: c.cut,
          }}
          onCut={(cut) => onCut(cut > 0 ? cut : undefined)}
        />
        <span>
          up to {c.cut.toFixed(2)} Å{' '}
          {moved ? (
            <button className="word" onClick={() => onCut(undefined)}>
              To the largest gap
            </button>
          ) : (
            '(largest gap)'
          )}
        </span>
      </p>
      <p className="mb-1 mono fine">
        {c.neighbours.map((n, i) => (
          <span key={i} className="neighbour">
            {marks && <b>{lengthMark(c.lengthClasses[i]!)}</b>} {siteOf(s, n.atom) ? atomName(s, n.atom) : '?'}{' '}
            {formatMeasured(n.distance, n.su, 3)}
            {n.valence === undefined ? '' : ` (${n.valence.toFixed(2)})`}
          </span>
        ))}
      </p>
      <dl className="figures">
        {figures.map(
          ([name, value]) =>
            value !== undefined && (
              <div key={name}>
                <dt>{name}</dt>
                <dd className="mono">{value}</dd>
              </div>
            ),
        )}
        {c.shapes.slice(0, 3).map((x) => (
          <div key={x.name}>
            <dt>against the {x.name}</dt>
            <dd className="mono">{x.measure.toFixed(3)}</dd>
          </div>
        ))}
        {c.valenceSum !== undefined && c.charge !== undefined && (
          <div>
            <dt>valence sum against charge</dt>
            <dd className="mono">
              {c.valenceSum.toFixed(2)} : {Math.abs(c.charge)}
            </dd>
          </div>
        )}
      </dl>
      {ruleWords(c) && <p className="mb-0">{ruleWords(c)}</p>}
    </div>
  );
}
