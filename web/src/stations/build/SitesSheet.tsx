/** Sites one by one: which one is meant, how many atoms of the cell go with it, and what can be done to it. */
import { useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { isHome, siteOf } from '@nagare/core/crystal/atom-ref';
import { equivalentU, siteMultiplicity, type Site, type Structure } from '@nagare/core/crystal/structure';
import type { Vec3 } from '@nagare/core/math/matrix3';
import { NumberRow } from '../../frame/NumberRow.tsx';
import { NumberField, Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import type { BuildSheetProps } from './Build.tsx';
import { placeOf, typedValues, type TypedSite } from './site-values.ts';

type OnWish = BuildSheetProps['onWish'];

export function SitesSheet({ onWish }: BuildSheetProps): ReactNode {
  const { head, selection } = useProject('head', 'selection');
  const s = head!.structure!;
  const [named, setNamed] = useState('');
  const chosen = selection.filter((a) => siteOf(s, a));
  const last = chosen.at(-1);
  const site = last ? siteOf(s, last)! : (s.sites.find((x) => x.id === named) ?? s.sites[0]!);
  const ids = last ? [...new Set(chosen.map((a) => a.site))] : [site.id];
  return (
    <Sheet title="Sites" fold shut state={meant(s, site, !!last && !isHome(last))}>
      {!last && (
        <div className="triple">
          <select
            className="form-select form-select-sm"
            aria-label="Site that is meant"
            value={site.id}
            onChange={(e) => setNamed(e.target.value)}
          >
            {s.sites.map((x) => (
              <option key={x.id} value={x.id}>
                {x.label}
              </option>
            ))}
          </select>
          <span className="soft">or select atoms in the picture</span>
        </div>
      )}
      <SiteFields key={site.id} s={s} site={site} onWish={onWish} />
      <SiteActs s={s} site={site} ids={ids} onWish={onWish} />
      <NewSite onWish={onWish} />
    </Sheet>
  );
}

/** Which site, whether a copy was picked, and what else is changed with it. */
function meant(s: Structure, site: Site, copy: boolean): string {
  const n = siteMultiplicity(s, site);
  const all = n === 1 ? 'It stands once in the cell.' : `What is changed, is changed at all ${n} of the cell.`;
  return `${site.label}${copy ? ', picked at one of its copies' : ''}: ${all}`;
}

interface SiteProps {
  readonly s: Structure;
  readonly site: Site;
  readonly onWish: OnWish;
}

const shownOf = (s: Structure, site: Site): TypedSite => ({
  label: site.label,
  element: site.element,
  place: site.position.map((x) => Number(x.toFixed(6))).join(' '),
  occupancy: String(Number(site.occupancy.toFixed(5))),
  u: equivalentU(s.cell, site.displacement).toFixed(4),
  charge: site.charge === undefined ? '' : String(site.charge),
});

const FIELDS: readonly (readonly [keyof TypedSite, string, number])[] = [
  ['label', 'Label', 7],
  ['element', 'Element', 4],
  ['place', 'x y z, fractions or decimals', 24],
  ['occupancy', 'Occupancy', 8],
  ['u', 'U, Å²', 8],
  ['charge', 'Charge', 5],
];

function SiteFields({ s, site, onWish }: SiteProps): ReactNode {
  const before = shownOf(s, site);
  const [typed, setTyped] = useState(before);
  const { values, problem } = typedValues(typed, before);
  return (
    <form
      className="site-fields"
      onSubmit={(e) => {
        e.preventDefault();
        if (values) onWish({ kind: 'change', site: site.id, values });
      }}
    >
      {FIELDS.map(([name, title, size]) => (
        <label key={name}>
          <span>{title}</span>
          <input
            className="form-control form-control-sm mono"
            size={size}
            value={typed[name]}
            onChange={(e) => setTyped({ ...typed, [name]: e.target.value })}
          />
        </label>
      ))}
      <Button size="sm" type="submit" disabled={!values}>
        Look at it
      </Button>
      {problem && <p className="off mb-0">{problem}</p>}
    </form>
  );
}

interface SiteActsProps extends SiteProps {
  readonly ids: readonly string[];
}

function SiteActs({ s, site, ids, onWish }: SiteActsProps): ReactNode {
  const [by, setBy] = useState<Vec3>([0, 0, 0]);
  const [newcomer, setNewcomer] = useState('');
  const [share, setShare] = useState(0.5);
  const many = ids.length > 1 ? `${ids.length} sites` : site.label;
  return (
    <>
      <p className="acts mb-1">
        <button className="word off" onClick={() => onWish({ kind: 'remove', sites: ids })}>
          Remove {many}
        </button>
        {ids.length > 1 && (
          <button className="word" onClick={() => onWish({ kind: 'merge', sites: ids })}>
            Merge into one place
          </button>
        )}
        <button className="word" onClick={() => onWish({ kind: 'balance', site: site.id })}>
          Balance charges by its occupancy
        </button>
        {s.sites.some((x) => x.element === 'C' || x.element === 'N') && (
          <button className="word" onClick={() => onWish({ kind: 'hydrogens' })}>
            Hydrogens by geometry
          </button>
        )}
      </p>
      <div className="triple">
        <span className="soft">move by</span>
        <NumberRow
          id="site-move"
          labels={['Move along a, Å', 'Move across a in the plane of b, Å', 'Move along c*, Å']}
          values={by}
          digits={3}
          step={0.05}
          min={-100}
          max={100}
          onChange={([x, y, z]) => setBy([x!, y!, z!])}
        />
        <span className="soft">Å along a, across it, along c*</span>
        <button
          className="word"
          disabled={by.every((x) => !x)}
          onClick={() => onWish({ kind: 'move', sites: ids, by })}
        >
          Move {many}
        </button>
      </div>
      <div className="triple">
        <span className="soft">let</span>
        <input
          className="form-control form-control-sm element"
          aria-label="Element that shares the site"
          placeholder="Fe"
          value={newcomer}
          onChange={(e) => setNewcomer(e.target.value)}
        />
        <span className="soft">have</span>
        <NumberField
          id="site-share"
          label="Share of the newcomer"
          value={share}
          digits={3}
          step={0.05}
          min={0.001}
          max={0.999}
          onChange={setShare}
        />
        <button
          className="word"
          disabled={!newcomer.trim()}
          onClick={() => onWish({ kind: 'split', site: site.id, element: newcomer.trim(), share })}
        >
          of {site.label}
        </button>
      </div>
    </>
  );
}

function NewSite({ onWish }: { onWish: OnWish }): ReactNode {
  const [element, setElement] = useState('');
  const [text, setText] = useState('');
  const position = placeOf(text);
  return (
    <form
      className="triple"
      onSubmit={(e) => {
        e.preventDefault();
        if (position) onWish({ kind: 'add', element: element.trim(), position, values: {} });
      }}
    >
      <span className="soft">another site</span>
      <input
        className="form-control form-control-sm element"
        aria-label="Element of the new site"
        placeholder="O"
        value={element}
        onChange={(e) => setElement(e.target.value)}
      />
      <input
        className="form-control form-control-sm matrix mono"
        aria-label="Place of the new site, x y z"
        placeholder="1/3 2/3 0.25"
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <button className="word" type="submit" disabled={!element.trim() || !position}>
        Add it
      </button>
    </form>
  );
}
