/** How far atoms stand from a plane: its own, and whichever are selected. */
import { useMemo, type ReactNode } from 'react';
import { refKey, siteOf, type AtomRef } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import { deviationsFrom } from '@nagare/core/geometry/things';
import { atomNames } from '../../frame/selection-measure.ts';
import { saveFile } from '../../store/projects.ts';
import { useProject } from '../../store/use-project.tsx';

interface PlaneDeviationsProps {
  readonly s: Structure;
  readonly name: string;
  readonly plane: readonly AtomRef[];
}

export function PlaneDeviations({ s, name, plane }: PlaneDeviationsProps): ReactNode {
  const { selection, result, select } = useProject('selection', 'result', 'select');
  const rows = useMemo(() => {
    const own = new Set(plane.map(refKey));
    const further = selection.filter((a) => siteOf(s, a) && !own.has(refKey(a)));
    const atoms = [...plane, ...further];
    const names = atomNames(s, atoms);
    return deviationsFrom(s, plane, atoms, result?.covariance).map((m, i) => ({
      atom: atoms[i]!,
      name: names[i]!,
      isOwn: i < plane.length,
      ...m,
    }));
  }, [s, plane, selection, result]);
  const csv = (): string =>
    [
      'atom,in the plane,deviation,s.u.,unit',
      ...rows.map((r) =>
        [r.name, r.isOwn ? 'yes' : 'no', r.value.toFixed(5), r.su ? r.su.toFixed(5) : '', 'Å'].join(','),
      ),
    ].join('\n') + '\n';
  return (
    <details className="deviations">
      <summary className="word">Distances of atoms from it</summary>
      <table className="relate">
        <thead>
          <tr>
            <th>atom</th>
            <th className="n">from the plane, Å</th>
          </tr>
        </thead>
        <tbody>
          {rows.map((r) => (
            <tr key={refKey(r.atom)} className={r.isOwn ? undefined : 'further'}>
              <td>
                <button className="plain" onClick={() => select([r.atom])}>
                  {r.name}
                </button>
              </td>
              <td className="n mono">{formatMeasured(r.value, r.su, 3)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="soft mb-0">
        Atoms that are selected are measured too.{' '}
        <button className="word" onClick={() => saveFile(csv(), `${name.replace(/\W+/g, '-')}.csv`, 'text/csv')}>
          CSV
        </button>
      </p>
    </details>
  );
}
