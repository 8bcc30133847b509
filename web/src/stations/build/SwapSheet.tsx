/** One element in the place of another. */
import { useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { findElement } from '@nagare/core/crystal/elements';
import { Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import type { BuildSheetProps } from './Build.tsx';

export function SwapSheet({ onWish }: BuildSheetProps): ReactNode {
  const { head } = useProject('head');
  const s = head!.structure!;
  const elements = [...new Set(s.sites.map((x) => x.element))];
  const [site, setSite] = useState('');
  const [element, setElement] = useState('');
  const [rescale, setRescale] = useState(false);
  const known = findElement(element.trim())?.symbol;
  const from = site || elements[0]!;
  return (
    <Sheet
      title="Substitute"
      fold
      shut
      state="Another element at a site or everywhere, the cell by the radii if wished."
    >
      <div className="triple">
        <select
          className="form-select form-select-sm"
          aria-label="What is replaced"
          value={from}
          onChange={(e) => setSite(e.target.value)}
        >
          {elements.map((e) => (
            <option key={e} value={e}>
              all {e}
            </option>
          ))}
          {s.sites.map((x) => (
            <option key={x.id} value={x.label}>
              {x.label}
            </option>
          ))}
        </select>
        <span className="soft">by</span>
        <input
          className="form-control form-control-sm element"
          aria-label="The element that comes"
          placeholder="Zr"
          value={element}
          onChange={(e) => setElement(e.target.value)}
        />
        <label className="word">
          <input type="checkbox" checked={rescale} onChange={() => setRescale(!rescale)} /> cell by the radii
        </label>
      </div>
      {element.trim() && !known && <p className="off mb-1">“{element.trim()}” is no element.</p>}
      <p className="acts mb-0">
        <Button
          size="sm"
          disabled={!known}
          onClick={() => known && onWish({ kind: 'substitute', site: from, element: known, rescale })}
        >
          Look at it
        </Button>
      </p>
    </Sheet>
  );
}
