/** Which pairs of elements are drawn as bonded, and single bonds hidden or added. */
import { useState, type ReactNode } from 'react';
import { siteOf } from '@nagare/core/crystal/atom-ref';
import type { Bonding } from '@nagare/core/crystal/bonding';
import type { Structure } from '@nagare/core/crystal/structure';
import type { PairProposal } from '@nagare/core/geometry/bonding-proposal';
import { NumberField, Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import {
  addBond,
  asBonding,
  bondName,
  cutWhenOn,
  hideBond,
  pairRows,
  singleBond,
  withCut,
  type PairRow,
} from './bonding-edits.ts';
import { PairHistogram } from './PairHistogram.tsx';
import { usePairs } from './use-pairs.ts';

export function BondsSheet({ s }: { s: Structure }): ReactNode {
  const { looks, setLooks } = useProject('looks', 'setLooks');
  const proposals = usePairs();
  if (!proposals) return <Sheet title="Bonds" fold shut state="Listing the distances…" />;
  const bonding = looks.bonding ?? asBonding(proposals);
  const set = (title: string, next: Bonding | undefined): void => setLooks(title, { bonding: next });
  return (
    <Sheet
      title="Bonds"
      fold
      shut
      state={stateOf(proposals, looks.bonding)}
      action={
        looks.bonding && (
          <button className="word" onClick={() => set('bonds as proposed', undefined)}>
            As proposed
          </button>
        )
      }
    >
      <PairTable
        rows={pairRows(proposals, looks.bonding)}
        onCut={(row, cut) => set(`cut ${row.elements.join('–')}`, withCut(bonding, row.elements, cut))}
      />
      <SingleBonds s={s} bonding={bonding} onChange={set} />
    </Sheet>
  );
}

function stateOf(proposals: readonly PairProposal[], bonding: Bonding | undefined): string {
  const rows = pairRows(proposals, bonding);
  const on = rows.filter((r) => r.cut > 0);
  const count = on.reduce((n, r) => n + r.count, 0);
  const pairs = on.length ? on.map((r) => r.elements.join('–')).join(', ') : 'none';
  const single = (bonding?.hidden.length ?? 0) + (bonding?.added.length ?? 0);
  return `Drawn: ${pairs}; ${Math.round(count)} in a cell${single ? `, ${single} changed one by one` : ''}.`;
}

function PairTable({ rows, onCut }: { rows: readonly PairRow[]; onCut(row: PairRow, cut: number): void }): ReactNode {
  const [all, setAll] = useState(false);
  // Pairs of hydrogen that come near without a bond are many and say little.
  const quiet = (r: PairRow): boolean => r.cut === 0 && r.elements.includes('H');
  const shown = all ? rows : rows.filter((r) => !quiet(r));
  return (
    <>
      <table className="pairs">
        <tbody>
          {shown.map((r) => (
            <PairLine key={r.elements.join()} row={r} onCut={(cut) => onCut(r, cut)} />
          ))}
        </tbody>
      </table>
      {rows.some(quiet) && (
        <button className="word" aria-expanded={all} onClick={() => setAll(!all)}>
          {all ? 'Leave out contacts of hydrogen' : `Contacts of hydrogen too (${rows.filter(quiet).length})`}
        </button>
      )}
    </>
  );
}

function PairLine({ row, onCut }: { row: PairRow; onCut(cut: number): void }): ReactNode {
  const name = row.elements.join('–');
  const on = row.cut > 0;
  const range =
    row.range &&
    (row.range[1] - row.range[0] < 5e-4 ? row.range[0].toFixed(3) : row.range.map((d) => d.toFixed(3)).join('–'));
  return (
    <>
      <tr>
        <td className="name">
          <label className="word">
            <input
              type="checkbox"
              checked={on}
              aria-label={`Bonds ${name}`}
              onChange={() => onCut(on ? 0 : cutWhenOn(row))}
            />{' '}
            {name}
          </label>
        </td>
        <td>
          <PairHistogram row={row} onCut={onCut} />
        </td>
        <td className="n">
          <NumberField
            id={`cut-${name}`}
            label={`Longest bond ${name}, Å`}
            value={row.cut}
            digits={2}
            step={0.02}
            min={0}
            max={6}
            unit="Å"
            onChange={onCut}
          />
        </td>
      </tr>
      <tr className="why">
        <td colSpan={3}>
          {on ? `${Math.round(row.count)} in a cell, ${range ?? '–'} Å. ` : ''}
          {row.changed ? `Set by you; proposed: ${row.proposed ? `${row.proposed.toFixed(2)} Å` : 'off'}.` : row.reason}
        </td>
      </tr>
    </>
  );
}

interface SingleProps {
  readonly s: Structure;
  readonly bonding: Bonding;
  onChange(title: string, next: Bonding): void;
}

function SingleBonds({ s, bonding, onChange }: SingleProps): ReactNode {
  const { selection } = useProject('selection');
  const [a, b] = selection.filter((x) => siteOf(s, x));
  const bond = selection.length === 2 && a && b ? singleBond(s, a, b) : undefined;
  return (
    <div className="single-bonds">
      {bond ? (
        <p className="mb-1">
          {bondName(s, bond)}:{' '}
          <button className="word" onClick={() => onChange('bond hidden', hideBond(s, bonding, bond))}>
            Hide this bond
          </button>
          <button className="word" onClick={() => onChange('bond added', addBond(s, bonding, bond))}>
            Draw a bond
          </button>
        </p>
      ) : (
        <p className="soft mb-1">Select two atoms to hide the bond between them or to draw one; its copies follow.</p>
      )}
      {bonding.hidden.map((h, i) => (
        <p key={`h${i}`} className="mb-0">
          {bondName(s, h)} hidden{' '}
          <button className="word" onClick={() => onChange('bond back', addBond(s, bonding, h))}>
            Bring back
          </button>
        </p>
      ))}
      {bonding.added.map((x, i) => (
        <p key={`a${i}`} className="mb-0">
          {bondName(s, x)} added{' '}
          <button className="word" onClick={() => onChange('bond away', hideBond(s, bonding, x))}>
            Take away
          </button>
        </p>
      ))}
    </div>
  );
}
