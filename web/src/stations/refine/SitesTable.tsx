/** The sites as a virtualised table; a selection here is a selection in the scene. Edits act on all that is selected. */
import { prettySymbol } from '@nagare/core/crystal/settings';
import { typeSymbol } from '@nagare/core/crystal/charge';
import { atomsOfSites, selectedSites } from '../../store/selection.ts';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { equivalentU } from '@nagare/core/crystal/structure';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import { selectByWords } from '@nagare/core/model/selection';
import { Sheet } from '../../frame/parts.tsx';
import { useProject, useEdit } from '../../store/use-project.tsx';
import {
  changeElement,
  deleteSites,
  mergeSites,
  renameSite,
  setDisplacementKind,
  setOccupancy,
  type Change,
} from './edits.ts';

type SortKey = 'model' | 'label' | 'type' | 'occupancy' | 'U';

export function SitesTable(): ReactNode {
  const { head, selection, select, setProblem } = useProject('head', 'selection', 'select', 'setProblem');
  const edit = useEdit();
  const s = head!.structure!;
  const [filter, setFilter] = useState('');
  const [sort, setSort] = useState<{ key: SortKey; down: boolean }>({ key: 'model', down: false });
  const rows = useMemo(() => {
    const text = filter.trim();
    const words = text ? selectByWords(s, text) : undefined;
    const kept = s.sites
      .map((_, i) => i)
      .filter(
        (i) =>
          !text || (words ? words.sites.includes(i) : s.sites[i]!.label.toLowerCase().startsWith(text.toLowerCase())),
      );
    if (sort.key === 'model') return sort.down ? kept.reverse() : kept;
    const value = (i: number): string | number => {
      const x = s.sites[i]!;
      return sort.key === 'label'
        ? x.label
        : sort.key === 'type'
          ? x.element
          : sort.key === 'occupancy'
            ? x.occupancy
            : equivalentU(s.cell, x.displacement);
    };
    return kept.sort((a, b) => {
      const p = value(a),
        q = value(b);
      const c = typeof p === 'string' ? p.localeCompare(q as string, 'en', { numeric: true }) : p - (q as number);
      return sort.down ? -c : c;
    });
  }, [s, filter, sort]);
  const parent = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => parent.current,
    estimateSize: () => 26,
    overscan: 8,
  });
  const picked = useMemo(() => new Set(selectedSites(s, selection)), [s, selection]);
  const last = selectedSites(s, selection.slice(-1))[0];
  useEffect(() => {
    const at = last === undefined ? -1 : rows.indexOf(last);
    if (at >= 0) virtual.scrollToIndex(at, { align: 'auto' });
  }, [last, rows, virtual]);
  const apply = (change: Change): void => {
    if (typeof change === 'string') setProblem(change);
    else void edit(change.structure, change.title);
  };
  const target = (i: number): number[] => (picked.has(i) ? [...picked] : [i]);
  const click = (e: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }, row: number): void => {
    const site = rows[row]!;
    if (e.shiftKey && last !== undefined) {
      const from = rows.indexOf(last),
        [lo, hi] = [Math.min(from, row), Math.max(from, row)];
      select(atomsOfSites(s, rows.slice(lo, hi + 1)));
    } else if (e.ctrlKey || e.metaKey)
      select(
        picked.has(site)
          ? selection.filter((p) => p.site !== s.sites[site]!.id)
          : [...selection, ...atomsOfSites(s, [site])],
      );
    else select(atomsOfSites(s, [site]));
  };
  const move = (e: React.KeyboardEvent): void => {
    if ((e.target as HTMLElement).tagName === 'INPUT') return;
    const at = last === undefined ? -1 : rows.indexOf(last);
    if (e.key === 'ArrowDown' || e.key === 'ArrowUp') {
      e.preventDefault();
      const next = Math.max(0, Math.min(rows.length - 1, at + (e.key === 'ArrowDown' ? 1 : -1)));
      if (rows.length) click({ shiftKey: false, ctrlKey: e.shiftKey, metaKey: false }, next);
    } else if (e.key === 'Delete' && picked.size) apply(deleteSites(s, [...picked]));
    else if ((e.ctrlKey || e.metaKey) && e.key === 'a') {
      e.preventDefault();
      select(atomsOfSites(s, rows));
    } else if (e.key === 'Escape') select([]);
  };
  const press = (e: React.MouseEvent<HTMLElement>): void => {
    const at = e.target as HTMLElement;
    const row = at.closest<HTMLElement>('[data-row]');
    if (row && at.tagName !== 'INPUT') click(e, Number(row.dataset['row']));
  };
  const heads: [SortKey | undefined, string][] = [
    ['label', 'label'],
    ['type', 'type'],
    [undefined, 'x'],
    [undefined, 'y'],
    [undefined, 'z'],
    ['occupancy', 'occ.'],
    ['U', 'U, Å²'],
  ];
  const all = [...picked];
  return (
    <Sheet
      title="Sites"
      fold
      state={`${s.sites.length} in the asymmetric unit of ${prettySymbol(s.spaceGroup.symbol)}.`}
      action={
        <input
          className="form-control form-control-sm w-20ch"
          placeholder="label or words"
          aria-label="Filter sites by label or words"
          value={filter}
          onChange={(e) => setFilter(e.target.value)}
        />
      }
    >
      <div className="sites-head">
        {heads.map(([k, name]) =>
          k ? (
            <button
              key={name}
              className="plain"
              aria-label={`Sort by ${name}`}
              onClick={() =>
                setSort(
                  sort.key !== k
                    ? { key: k, down: false }
                    : sort.down
                      ? { key: 'model', down: false }
                      : { key: k, down: true },
                )
              }
            >
              {name}
              {sort.key === k ? (sort.down ? ' ↓' : ' ↑') : ''}
            </button>
          ) : (
            <span key={name}>{name}</span>
          ),
        )}
      </div>
      <div
        ref={parent}
        className="sites"
        tabIndex={0}
        role="grid"
        aria-label="Sites"
        aria-rowcount={rows.length}
        onKeyDown={move}
        onClick={press}
      >
        <div className="rows" style={{ height: virtual.getTotalSize() }}>
          {virtual.getVirtualItems().map((v) => {
            const i = rows[v.index]!,
              x = s.sites[i]!;
            return (
              <div
                key={x.id}
                role="row"
                aria-selected={picked.has(i)}
                className={`row-line${picked.has(i) ? ' picked' : ''}`}
                style={{ top: v.start }}
                data-row={v.index}
              >
                <Cell
                  value={x.label}
                  label={`Label of ${x.label}`}
                  onFocus={() => {
                    if (!picked.has(i)) click({ shiftKey: false, ctrlKey: false, metaKey: false }, v.index);
                  }}
                  onChange={(t) => apply(renameSite(s, i, t))}
                />
                <Cell
                  value={typeSymbol(x.element, x.charge)}
                  label={`Element of ${x.label}`}
                  onFocus={() => {
                    if (!picked.has(i)) click({ shiftKey: false, ctrlKey: false, metaKey: false }, v.index);
                  }}
                  onChange={(t) => apply(changeElement(s, target(i), t))}
                />
                {x.position.map((c, k) => (
                  <span key={k} role="gridcell" className="mono">
                    {formatMeasured(c, x.positionSu?.[k], 4)}
                  </span>
                ))}
                <Cell
                  value={
                    x.occupancySu
                      ? formatMeasured(x.occupancy, x.occupancySu, 2)
                      : String(Number(x.occupancy.toFixed(3)))
                  }
                  label={`Occupancy of ${x.label}`}
                  onFocus={() => {
                    if (!picked.has(i)) click({ shiftKey: false, ctrlKey: false, metaKey: false }, v.index);
                  }}
                  onChange={(t) => apply(setOccupancy(s, target(i), Number.parseFloat(t)))}
                />
                <span
                  role="gridcell"
                  className="mono"
                  title={x.displacement.kind === 'iso' ? 'isotropic' : 'anisotropic'}
                >
                  {x.displacement.kind === 'iso' && x.displacement.assumed
                    ? '?'
                    : equivalentU(s.cell, x.displacement).toFixed(3)}
                  {x.displacement.kind === 'iso' ? '○' : ' '}
                </span>
              </div>
            );
          })}
        </div>
      </div>
      <div className="mt-1">
        {all.length > 0 && (
          <>
            <button className="word" onClick={() => apply(setDisplacementKind(s, all, 'aniso'))}>
              anisotropic
            </button>
            <button className="word" onClick={() => apply(setDisplacementKind(s, all, 'iso'))}>
              isotropic
            </button>
            {all.length > 1 && (
              <button className="word" onClick={() => apply(mergeSites(s, all))}>
                merge
              </button>
            )}
            <button className="word off" onClick={() => apply(deleteSites(s, all))}>
              delete {all.length}
            </button>
          </>
        )}
      </div>
      <p className="soft mb-0 mt-1 fine">
        Arrow keys walk, Shift or Ctrl picks several, an entry changes all that are picked, Delete removes, Ctrl+Z goes
        back. ○ stands for isotropic.
      </p>
    </Sheet>
  );
}

function Cell({
  value,
  label,
  onChange,
  onFocus,
}: {
  value: string;
  label: string;
  onChange(text: string): void;
  onFocus(): void;
}): ReactNode {
  // What is being typed, until it is taken or left; a new value of the model ends it.
  const [typed, setTyped] = useState<{ text: string; over: string } | undefined>();
  const text = typed?.over === value ? typed.text : value;
  return (
    <span role="gridcell">
      <input
        aria-label={label}
        data-at-rest={text === value}
        value={text}
        onFocus={onFocus}
        onChange={(e) => setTyped({ text: e.target.value, over: value })}
        onBlur={() => setTyped(undefined)}
        onKeyDown={(e) => {
          if (e.key === 'Enter') {
            if (text.trim() && text !== value) onChange(text.trim());
            else e.currentTarget.select();
          } else if (e.key === 'Escape') {
            e.stopPropagation();
            setTyped(undefined);
            e.currentTarget.select();
          }
        }}
      />
    </span>
  );
}
