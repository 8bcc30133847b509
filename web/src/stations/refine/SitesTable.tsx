/** The sites as a virtualised table; a selection here is a selection in the scene. */
import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { IDENTITY } from '@nagare/core/crystal/operator';
import { equivalentU } from '@nagare/core/crystal/structure';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import { Sheet } from '../../frame/parts.tsx';
import { useSession } from '../../store/session.tsx';
import { changeElement, deleteSites, renameSite } from './edits.ts';

export function SitesTable(): ReactNode {
  const { head, selection, select, edit, setProblem } = useSession();
  const s = head!.structure;
  const [filter, setFilter] = useState('');
  const rows = useMemo(() => s.sites.map((_, i) => i).filter((i) => !filter || s.sites[i]!.label.toLowerCase().startsWith(filter.toLowerCase())), [s, filter]);
  const parent = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({ count: rows.length, getScrollElement: () => parent.current, estimateSize: () => 26, overscan: 8 });
  const picked = useMemo(() => new Set(selection.map((p) => p.site)), [selection]);
  const last = selection.at(-1)?.site;
  useEffect(() => {
    const at = last === undefined ? -1 : rows.indexOf(last);
    if (at >= 0) virtual.scrollToIndex(at, { align: 'auto' });
  }, [last, rows, virtual]);
  const apply = (change: ReturnType<typeof changeElement>): void => {
    if (typeof change === 'string') setProblem(change);
    else void edit(change.structure, change.title);
  };
  const click = (e: { shiftKey: boolean; ctrlKey: boolean; metaKey: boolean }, row: number): void => {
    const site = rows[row]!;
    if (e.shiftKey && last !== undefined) {
      const from = rows.indexOf(last), [lo, hi] = [Math.min(from, row), Math.max(from, row)];
      select(rows.slice(lo, hi + 1).map((i) => ({ site: i, operator: IDENTITY })));
    } else if (e.ctrlKey || e.metaKey) select(picked.has(site) ? selection.filter((p) => p.site !== site) : [...selection, { site, operator: IDENTITY }]);
    else select([{ site, operator: IDENTITY }]);
  };
  const move = (e: React.KeyboardEvent): void => {
    if ((e.target as HTMLElement).tagName === 'INPUT') return;
    const at = last === undefined ? -1 : rows.indexOf(last);
    if (e.key === 'ArrowDown' || e.key === 'ArrowUp') {
      e.preventDefault();
      const next = Math.max(0, Math.min(rows.length - 1, at + (e.key === 'ArrowDown' ? 1 : -1)));
      if (rows.length) click({ shiftKey: false, ctrlKey: e.shiftKey, metaKey: false }, next);
    } else if (e.key === 'Delete' && picked.size) apply(deleteSites(s, [...picked]));
    else if (e.key === 'Escape') select([]);
  };
  return (
    <Sheet title="Sites" state={`${s.sites.length} in the asymmetric unit of ${s.spaceGroup.symbol}.`} action={<input className="form-control form-control-sm" style={{ width: 110 }} placeholder="filter by label" aria-label="Filter sites by label" value={filter} onChange={(e) => setFilter(e.target.value)} />}>
      <div className="sites-head"><span>label</span><span>type</span><span>x</span><span>y</span><span>z</span><span>U, Å²</span></div>
      <div ref={parent} className="sites" tabIndex={0} role="grid" aria-label="Sites" onKeyDown={move}>
        <div style={{ height: virtual.getTotalSize(), position: 'relative' }}>
          {virtual.getVirtualItems().map((v) => {
            const i = rows[v.index]!, x = s.sites[i]!;
            return (
              <div key={x.id} role="row" aria-selected={picked.has(i)} className={`row-line${picked.has(i) ? ' picked' : ''}`} style={{ top: v.start }} onClick={(e) => { if ((e.target as HTMLElement).tagName !== 'INPUT') click(e, v.index); }}>
                <Cell value={x.label} label={`Label of ${x.label}`} onFocus={() => click({ shiftKey: false, ctrlKey: false, metaKey: false }, v.index)} onChange={(t) => apply(renameSite(s, i, t))} />
                <Cell value={x.element} label={`Element of ${x.label}`} onFocus={() => { if (!picked.has(i)) click({ shiftKey: false, ctrlKey: false, metaKey: false }, v.index); }} onChange={(t) => apply(changeElement(s, picked.has(i) ? [...picked] : [i], t))} />
                {x.position.map((c, k) => <span key={k} className="mono">{formatMeasured(c, x.positionSu?.[k], 4)}</span>)}
                <span className="mono">{equivalentU(s.cell, x.displacement).toFixed(3)}</span>
              </div>
            );
          })}
        </div>
      </div>
      <p className="soft mb-0 mt-1" style={{ fontSize: '.75rem' }}>Arrow keys walk, Shift or Ctrl picks several, Delete removes, Ctrl+Z goes back.</p>
    </Sheet>
  );
}

function Cell({ value, label, onChange, onFocus }: { value: string; label: string; onChange(text: string): void; onFocus(): void }): ReactNode {
  const [text, setText] = useState(value);
  useEffect(() => setText(value), [value]);
  return <input aria-label={label} value={text} onFocus={onFocus} onChange={(e) => setText(e.target.value)} onBlur={() => setText(value)} onKeyDown={(e) => {
    if (e.key === 'Enter') { if (text.trim() && text !== value) onChange(text.trim()); else e.currentTarget.blur(); }
    else if (e.key === 'Escape') { e.stopPropagation(); setText(value); e.currentTarget.blur(); }
  }} />;
}
