/** Which symmetry elements stand in the scene; the one that is picked, what it does, and the crystal grown by it. */
import { atomsOfSites } from '../../store/selection.ts';
import { useMemo, useState, type ReactNode } from 'react';
import { metricTensor, fractionalDistance } from '@nagare/core/crystal/cell';
import { applyOperator, operatorToXyz } from '@nagare/core/crystal/operator';
import { operatorsNear } from '@nagare/core/crystal/neighbours';
import { allOperators } from '@nagare/core/crystal/space-group';
import type { Structure } from '@nagare/core/crystal/structure';
import { ELEMENT_KINDS, type ElementKind, type SymmetryElement } from '@nagare/core/symmetry/elements';
import type { SymmetryReport } from '@nagare/core/symmetry/report';
import { Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';

const PLURAL: Record<ElementKind, string> = {
  'mirror plane': 'mirror planes',
  'glide plane': 'glide planes',
  'rotation axis': 'rotation axes',
  'screw axis': 'screw axes',
  'rotoinversion axis': 'rotoinversion axes',
  'inversion centre': 'inversion centres',
};

/** Sites that stand on an element or are carried onto another one of the unit: label → label. */
function mappedAtoms(s: Structure, e: SymmetryElement): { site: number; onto: number; distance: number }[] {
  const g = metricTensor(s.cell),
    all = allOperators(s.spaceGroup);
  return s.sites.map((x, site) => {
    const y = applyOperator(e.operator, x.position);
    const onto = s.sites.findIndex(
      (z) => z.element === x.element && operatorsNear(all, g, z.position, y).distance < 0.01,
    );
    return { site, onto, distance: fractionalDistance(g, y, x.position) };
  });
}

export function ElementsSheet({ report }: { report: SymmetryReport }): ReactNode {
  const { head, elements, setElements, growth, setGrowth, setPane, select, view, setView } = useProject(
    'head',
    'elements',
    'setElements',
    'growth',
    'setGrowth',
    'setPane',
    'select',
    'view',
    'setView',
  );
  const s = head!.structure!;
  const [kinds, setKinds] = useState<ReadonlySet<ElementKind>>(new Set());
  const [labels, setLabels] = useState(true);
  const counts = useMemo(
    () =>
      ELEMENT_KINDS.map((k) => [k, report.elements.filter((e) => e.kind === k).length] as const).filter(([, n]) => n),
    [report],
  );
  const picked = elements?.picked ? report.elements.find((e) => e.words === elements.picked) : undefined;
  const fixed = useMemo(() => (picked ? mappedAtoms(s, picked) : []), [picked, s]);
  const show = (next: ReadonlySet<ElementKind>, pick = elements?.picked, withLabels = labels): void => {
    setKinds(next);
    const list = report.elements.filter((e) => next.has(e.kind) || e.words === pick);
    const hall = report.group.hall;
    setElements(list.length ? { hall, list, labels: withLabels, ...(pick ? { picked: pick } : {}) } : undefined);
    setPane('crystal');
    if (list.length && !view.showCell) setView({ showCell: true });
  };
  const flip = (k: ElementKind): void => {
    const next = new Set(kinds);
    if (next.has(k)) next.delete(k);
    else next.add(k);
    show(next);
  };
  const on = fixed.filter((f) => f.distance < 0.02);
  return (
    <Sheet
      title="Elements in the scene"
      fold
      state={
        counts.map(([k, n]) => `${n} ${n === 1 ? k : PLURAL[k]}`).join(', ') ||
        'The group has none beyond the translations.'
      }
    >
      <div className="d-flex flex-wrap gap-2 mb-2">
        {counts.map(([k]) => (
          <label key={k} className="word">
            <input type="checkbox" checked={kinds.has(k)} onChange={() => flip(k)} /> {PLURAL[k]}
          </label>
        ))}
        {counts.length > 0 && (
          <label className="word">
            <input
              type="checkbox"
              checked={labels}
              onChange={(e) => {
                setLabels(e.target.checked);
                show(kinds, elements?.picked, e.target.checked);
              }}
            />{' '}
            labels
          </label>
        )}
      </div>
      {picked && (
        <div className="detail">
          <b>{picked.words}</b>
          <p className="mono mb-1 fine">{operatorToXyz(picked.operator)}</p>
          <p className="mb-1">
            {on.length ? (
              <>
                On it:{' '}
                {on.slice(0, 8).map((f) => (
                  <button key={f.site} className="word" onClick={() => select(atomsOfSites(s, [f.site]))}>
                    {s.sites[f.site]!.label}
                  </button>
                ))}
                {on.length > 8 ? ` and ${on.length - 8} more` : ''}.{' '}
              </>
            ) : (
              'No site stands on it. '
            )}
            {fixed.filter((f) => f.onto >= 0 && f.onto !== f.site && f.distance > 0.02).length ? (
              <>
                Carries{' '}
                {fixed
                  .filter((f) => f.onto !== f.site && f.onto >= 0)
                  .slice(0, 6)
                  .map((f) => `${s.sites[f.site]!.label} to a copy of ${s.sites[f.onto]!.label}`)
                  .join(', ')}
                .
              </>
            ) : (
              'Every other site is carried to a copy of itself.'
            )}
          </p>
          <button
            className="word"
            onClick={() => setGrowth([...growth, { through: { operation: picked.operator }, all: false }])}
          >
            Draw what it makes of the drawn atoms
          </button>
          {growth.length > 0 && (
            <button className="word" onClick={() => setGrowth([])}>
              Unique part
            </button>
          )}
        </div>
      )}
      <details>
        <summary>All {report.elements.length} elements</summary>
        <ul className="element-list">
          {report.elements.slice(0, 200).map((e) => (
            <li key={e.words}>
              <button
                className="word"
                aria-pressed={e.words === elements?.picked}
                onClick={() => show(kinds, e.words === elements?.picked ? undefined : e.words)}
              >
                {e.words}
              </button>
            </li>
          ))}
        </ul>
      </details>
    </Sheet>
  );
}
