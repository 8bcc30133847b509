/** Everything about what is selected, editable in place. */
import { selectedSites } from '../store/selection.ts';
import { useMemo, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { equivalentU, siteMultiplicity, type Site } from '@nagare/core/crystal/structure';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import { bonds, neighbourRef } from '@nagare/core/geometry/bonds';
import { originalRef } from '@nagare/core/crystal/atom-ref';
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
      <h2>{one ? one.label : `${sites.length} sites`}</h2>
      {one && (
        <SiteName key={one.id + one.label} site={one} onRename={(name) => apply(renameSite(s, sites[0]!, name))} />
      )}
      <ElementField
        key={`e${sites.join()}`}
        value={one?.element ?? ''}
        onChange={(e) => apply(changeElement(s, sites, e))}
      />
      {one && (
        <table className="w-100 mono my-2 fine">
          <tbody>
            {(['x', 'y', 'z'] as const).map((axis, k) => (
              <tr key={axis}>
                <td className="soft">
                  <label htmlFor={`site-${axis}`}>{axis}</label>{' '}
                  {formatMeasured(one.position[k]!, one.positionSu?.[k], 5)}
                </td>
                <td className="text-end">
                  <NumberField
                    key={one.id}
                    id={`site-${axis}`}
                    value={one.position[k]}
                    digits={4}
                    step={0.001}
                    commit
                    onChange={(v) =>
                      apply(moveSiteTo(s, sites[0]!, one.position.map((x, i) => (i === k ? v : x)) as never))
                    }
                  />
                </td>
              </tr>
            ))}
            <tr>
              <td className="soft">{one.displacement.kind === 'iso' ? 'U' : 'U eq'}</td>
              <td className="text-end">
                {one.displacement.kind === 'iso'
                  ? formatMeasured(one.displacement.u, one.displacement.su, 4)
                  : equivalentU(s.cell, one.displacement).toFixed(4)}{' '}
                Å²
              </td>
            </tr>
            {one.displacement.kind === 'aniso' && (
              <tr>
                <td className="soft">principal</td>
                <td className="text-end">
                  {eigenSymmetric3(displacementToCartesian(s.cell, one.displacement.u))
                    .values.map((v) => v.toFixed(3))
                    .join(' ')}{' '}
                  Å²
                </td>
              </tr>
            )}
            <tr>
              <td className="soft">occupancy</td>
              <td className="text-end">{formatMeasured(one.occupancy, one.occupancySu, 3)}</td>
            </tr>
            <tr>
              <td className="soft">position</td>
              <td className="text-end">
                {siteMultiplicity(s, one)}
                {wyckoffLetters(s)[sites[0]!] ?? ''}
              </td>
            </tr>
          </tbody>
        </table>
      )}
      {one && <Surroundings site={sites[0]!} covariance={result?.covariance} />}
      <Button variant="outline-danger" size="sm" className="mt-2" onClick={() => apply(deleteSites(s, sites))}>
        Delete {one ? one.label : `these ${sites.length}`}
      </Button>
    </aside>
  );
}

function SiteName({ site, onRename }: { site: Site; onRename(name: string): void }): ReactNode {
  return (
    <div className="field">
      <label htmlFor="site-name">Label</label>
      <input
        id="site-name"
        className="form-control form-control-sm"
        defaultValue={site.label}
        onKeyDown={(e) => {
          if (e.key === 'Enter') onRename(e.currentTarget.value.trim());
          if (e.key === 'Escape') {
            e.currentTarget.value = site.label;
            e.currentTarget.blur();
          }
        }}
      />
    </div>
  );
}

function ElementField({ value, onChange }: { value: string; onChange(element: string): void }): ReactNode {
  const [text, setText] = useState(value);
  const known = !!findElement(text);
  const common = ['C', 'N', 'O', 'F', 'S', 'Cl', 'Br'];
  return (
    <div className="mb-2">
      <div className="field">
        <label htmlFor="site-element">Element</label>
        <input
          id="site-element"
          className="form-control form-control-sm"
          value={text}
          placeholder="several"
          onChange={(e) => setText(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === 'Enter' && known && text !== value) onChange(text);
            if (e.key === 'Escape') setText(value);
          }}
        />
      </div>
      <div>
        {common.map((e) => (
          <button
            key={e}
            className="word"
            aria-pressed={e === value}
            onClick={() => {
              if (e !== value) onChange(e);
            }}
          >
            {e}
          </button>
        ))}
      </div>
    </div>
  );
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
        }),
    [s, site, covariance],
  );
  if (!near.length) return <p className="soft">No atom within bonding distance.</p>;
  return (
    <table className="w-100 mono fine">
      <tbody>
        {near.map(({ b, ref, m }, i) => (
          <tr key={i}>
            <td>
              <button className="word" onClick={() => select([ref])}>
                {s.sites[b.to]!.label}
              </button>
            </td>
            <td className="text-end">{formatMeasured(m.value, m.su, 3)} Å</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
