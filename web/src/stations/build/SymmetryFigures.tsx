/** What a crystal that is being typed comes to: formula, contacts, positions, empty space, and every setting judged. */
import type { ReactNode } from 'react';
import type { JudgedCrystal } from '@nagare/core/tasks/from-symmetry-task';

/** Rows of the table of positions. */
const MOST_ROWS = 12;
/** A score above which a setting is worth to be called sensible. */
const SENSIBLE = 0.25;

interface FiguresProps {
  readonly judged: JudgedCrystal;
  readonly snapped: ReadonlySet<string>;
  onSnap(labels: ReadonlySet<string>): void;
}

export function Figures({ judged, snapped, onSnap }: FiguresProps): ReactNode {
  const { holdings: h, contacts, special } = judged;
  return (
    <>
      <p className="mb-1">
        <strong>{h.formula}</strong>, Z = {h.z}: {h.atoms} atoms, {h.density.toFixed(3)} g/cm³
        {h.charge === undefined
          ? ''
          : h.charge === 0
            ? ', charges balance'
            : `, charges leave ${h.charge > 0 ? '+' : '−'}${Math.abs(h.charge)}`}
        .
      </p>
      <p className="mono fine mb-1">
        {contacts.slice(0, 6).map((c) => (
          <span key={c.pair.join('–')} className={c.absurd ? 'contact off' : 'contact'}>
            {c.pair.join('–')} {c.distance.toFixed(3)} Å{c.absurd ? ', too near' : ''}
          </span>
        ))}
      </p>
      <Rows rows={judged.rows} />
      {special.map((n) => (
        <label key={n.label} className="word d-block">
          <input
            type="checkbox"
            checked={snapped.has(n.label)}
            onChange={() => {
              const next = new Set(snapped);
              if (!next.delete(n.label)) next.add(n.label);
              onSnap(next);
            }}
          />{' '}
          {n.label} stands {n.away.toFixed(2)} Å from a special position: there it is {n.then} atoms of the cell, now{' '}
          {n.now}.
        </label>
      ))}
    </>
  );
}

/** Where each site stands. */
function Rows({ rows }: { rows: JudgedCrystal['rows'] }): ReactNode {
  return (
    <table className="relate mb-2">
      <thead>
        <tr>
          <th>site</th>
          <th className="n">in the cell</th>
          <th>position</th>
          <th>symmetry</th>
          <th className="n">nearest, Å</th>
        </tr>
      </thead>
      <tbody>
        {rows.slice(0, MOST_ROWS).map((r) => (
          <tr key={r.label}>
            <td className="name">{r.label}</td>
            <td className="n">{r.multiplicity}</td>
            <td>{r.letter ? `${r.multiplicity}${r.letter}` : ''}</td>
            <td>{r.siteSymmetry}</td>
            <td className="n">{r.nearest ? `${r.nearest.label} ${r.nearest.distance.toFixed(3)}` : ''}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

interface OriginsProps {
  readonly list: readonly JudgedCrystal[];
  readonly chosen: string | undefined;
  onChoose(origin: string): void;
}

/** Every origin or setting the symbol may mean, with its evidence. */
export function Origins({ list, chosen, onChoose }: OriginsProps): ReactNode {
  return (
    <fieldset className="origins">
      <legend>The symbol may mean {list.length} settings</legend>
      {list.map((j, i) => (
        <label key={j.origin}>
          <input type="radio" name="origin" checked={j.origin === chosen} onChange={() => onChoose(j.origin)} />{' '}
          <strong>
            {/^\d$/.test(j.origin) ? `Origin ${j.origin}` : `Setting ${j.origin}`}
            {i === 0 && j.score > SENSIBLE ? ', the sensible one' : ''}
          </strong>{' '}
          <span className="soft">
            {j.reason} {j.coordination && `Neighbours: ${j.coordination}.`}
          </span>
        </label>
      ))}
    </fieldset>
  );
}
