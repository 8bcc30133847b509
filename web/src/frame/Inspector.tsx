/** Everything about what is selected, editable in place. */
import { selectedSites } from '../store/selection.ts';
import { useMemo, useState, type ReactNode } from 'react';
import { equivalentU, siteMultiplicity, type Site, type Structure } from '@nagare/core/crystal/structure';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import { bonds, neighbourRef } from '@nagare/core/geometry/bonds';
import { originalRef, type AtomRef } from '@nagare/core/crystal/atom-ref';
import { distance } from '@nagare/core/geometry/figures';
import { measure } from '@nagare/core/geometry/measure';
import { findElement } from '@nagare/core/crystal/elements';
import { eigenSymmetric3 } from '@nagare/core/math/matrix3';
import { displacementToCartesian } from '@nagare/core/crystal/structure';
import { wyckoffLetters } from '@nagare/core/symmetry/wyckoff';
import { useProject, useEdit } from '../store/use-project.tsx';
import { NumberField } from './parts.tsx';
import { changeElement, deleteSites, moveSiteTo, renameSite } from '../stations/refine/edits.ts';

export function Inspector(): ReactNode {
  const { head, selection, result, setProblem } = useProject('head', 'selection', 'result', 'setProblem');
  const edit = useEdit();
  const s = head?.structure;
  const sites = useMemo(() => selectedSites(s, selection), [s, selection]);
  if (!s || !sites.length) return <span />;
  const one = sites.length === 1 ? s.sites[sites[0]!] : undefined;
  const apply = (change: { structure: typeof s; title: string } | string): void => {
    if (typeof change === 'string') setProblem(change);
    else void edit(change.structure, change.title);
  };
  return (
    <aside className="inspector" aria-label="Inspector">
      <header className="d-flex align-items-center gap-2">
        <h2 className="flex-grow-1">{one ? one.label : `${sites.length} sites`}</h2>
        <button className="word off" onClick={() => apply(deleteSites(s, sites))}>
          Delete {one ? one.label : `these ${sites.length}`}
        </button>
      </header>
      <div className="identity">
        {one && (
          <SiteName key={one.id + one.label} site={one} onRename={(name) => apply(renameSite(s, sites[0]!, name))} />
        )}
        <ElementField
          key={`e${sites.join()}${one?.element ?? ''}`}
          value={one?.element ?? ''}
          onChange={(e) => apply(changeElement(s, sites, e))}
        />
      </div>
      {one && (
        <Place
          site={one}
          onMove={(axis, v) =>
            apply(moveSiteTo(s, sites[0]!, one.position.map((x, i) => (i === axis ? v : x)) as never))
          }
        />
      )}
      {one && <SiteFigures s={s} site={one} at={sites[0]!} />}
      {one && <Surroundings site={sites[0]!} covariance={result?.covariance} />}
    </aside>
  );
}

/** Digits of a coordinate on the card. */
const PLACE_DIGITS = 5;

/** Where the site is, each coordinate with its s.u. in units of its last digit. */
function Place({ site, onMove }: { site: Site; onMove(axis: number, value: number): void }): ReactNode {
  return (
    <div className="place">
      {(['x', 'y', 'z'] as const).map((axis, k) => {
        const su = site.positionSu?.[k];
        return (
          <label key={axis} htmlFor={`site-${axis}`}>
            {axis}
            <NumberField
              key={site.id}
              id={`site-${axis}`}
              value={site.position[k]}
              digits={PLACE_DIGITS}
              step={0.001}
              commit
              {...(su ? { unit: `(${Math.max(1, Math.round(su * 10 ** PLACE_DIGITS))})` } : {})}
              onChange={(v) => onMove(k, v)}
            />
          </label>
        );
      })}
    </div>
  );
}

/** Displacement, occupancy and position of a site. */
function SiteFigures({ s, site, at }: { s: Structure; site: Site; at: number }): ReactNode {
  const { displacement } = site;
  const letter = useMemo(() => wyckoffLetters(s)[at] ?? '', [s, at]);
  const principal =
    displacement.kind === 'aniso'
      ? eigenSymmetric3(displacementToCartesian(s.cell, displacement.u)).values.map((v) => v.toFixed(3))
      : undefined;
  return (
    <div className="figures mono">
      <span>
        {displacement.kind === 'iso' && displacement.assumed
          ? 'U is not known; for calculations'
          : displacement.kind === 'iso'
            ? 'U'
            : 'U eq'}{' '}
        {displacement.kind === 'iso'
          ? formatMeasured(displacement.u, displacement.su, 4)
          : equivalentU(s.cell, displacement).toFixed(4)}{' '}
        Å²
      </span>
      {principal && <span>principal {principal.join(' ')} Å²</span>}
      <span>occupancy {formatMeasured(site.occupancy, site.occupancySu, 3)}</span>
      <span>
        position {siteMultiplicity(s, site)}
        {letter}
      </span>
    </div>
  );
}

function SiteName({ site, onRename }: { site: Site; onRename(name: string): void }): ReactNode {
  return (
    <label htmlFor="site-name">
      Label
      <input
        id="site-name"
        className="form-control form-control-sm w-9ch"
        defaultValue={site.label}
        onKeyDown={(e) => {
          if (e.key === 'Enter') onRename(e.currentTarget.value.trim());
          if (e.key === 'Escape') {
            e.currentTarget.value = site.label;
            e.currentTarget.select();
          }
        }}
      />
    </label>
  );
}

const COMMON = ['C', 'N', 'O', 'F', 'S', 'Cl', 'Br'];

function ElementField({ value, onChange }: { value: string; onChange(element: string): void }): ReactNode {
  const [text, setText] = useState(value);
  const known = !!findElement(text);
  return (
    <>
      <label htmlFor="site-element">
        Element
        <input
          id="site-element"
          className="form-control form-control-sm w-9ch"
          value={text}
          placeholder="several"
          onChange={(e) => setText(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === 'Enter' && known && text !== value) onChange(text);
            if (e.key === 'Escape') setText(value);
          }}
        />
      </label>
      <span>
        {COMMON.map((e) => (
          <button
            key={e}
            className="word px-1"
            aria-pressed={e === value}
            onClick={() => {
              if (e !== value) onChange(e);
            }}
          >
            {e}
          </button>
        ))}
      </span>
    </>
  );
}

/** Bonds of the site that have one length. */
interface Near {
  readonly to: number;
  readonly ref: AtomRef;
  readonly value: number;
  readonly su: number;
  times: number;
}

function Surroundings({ site, covariance }: { site: number; covariance: Parameters<typeof measure>[3] }): ReactNode {
  const { head, select } = useProject('head', 'select');
  const s = head!.structure!;
  const near = useMemo(
    () =>
      bonds(s)
        .filter((b) => b.from === site)
        .sort((p, q) => p.distance - q.distance)
        .map((b) => {
          const ref = neighbourRef(s, b);
          return { b, ref, m: measure(s, [originalRef(s.sites[site]!.id), ref], distance, covariance) };
        })
        // What symmetry makes equal is told once.
        .reduce<Near[]>((list, { b, ref, m }) => {
          const same = list.find((x) => x.to === b.to && Math.abs(x.value - m.value) < 1e-5);
          if (same) same.times++;
          else list.push({ to: b.to, ref, value: m.value, su: m.su, times: 1 });
          return list;
        }, []),
    [s, site, covariance],
  );
  if (!near.length) return <p className="soft mb-0 mt-1">No atom within bonding distance.</p>;
  return (
    <div className="around mono" aria-label="Bonded to" role="group">
      {near.map(({ to, ref, value, su, times }, i) => (
        <span key={i}>
          <button className="word" onClick={() => select([ref])}>
            {s.sites[to]!.label}
          </button>
          {formatMeasured(value, su, 3)} Å{times > 1 ? ` × ${times}` : ''}
        </span>
      ))}
    </div>
  );
}
