/** Two marks side by side: figures, what moved, what came and went. */
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import { prettySymbol } from '@nagare/core/crystal/settings';
import { useMemo, type ReactNode } from 'react';
import { compareModels, modelPrecision, sameAxes } from '@nagare/core/model/compare';
import type { Structure } from '@nagare/core/crystal/structure';
import { decimal } from '@nagare/core/math/decimal';
import { nameOfMark, type Head } from '../store/marks.ts';
import { useMark, useProject } from '../store/use-project.tsx';
import { percent } from './parts.tsx';

/** The mark that was chosen for comparison beside the present one. */
export function ComparisonWith({ markId }: { markId: string }): ReactNode {
  const { head, setCompareWith } = useProject('head', 'setCompareWith');
  const before = useMark(markId);
  const close = (): void => setCompareWith(undefined);
  if (!head || !before) return null;
  if (before.fit && head.fit) return <FitComparison before={before} now={head} onClose={close} />;
  if (!before.structure || !head.structure) return null;
  return (
    <ModelComparison
      before={{ ...before, structure: before.structure }}
      now={{ ...head, structure: head.structure }}
      onClose={close}
    />
  );
}

type WithStructure = Head & { structure: Structure };

/** Two fits side by side: agreement, amounts and cells. */
function FitComparison({ before, now, onClose }: { before: Head; now: Head; onClose(): void }): ReactNode {
  const phases = now.fit!.model.phases;
  const of = (m: Head, id: string): { cell: string; weight: string } => {
    const i = m.fit!.model.phases.findIndex((p) => p.id === id),
      p = m.fit!.model.phases[i],
      w = m.fit!.result?.patterns[0]?.weightFractions[i];
    return {
      cell: p
        ? [p.structure.cell.a, p.structure.cell.b, p.structure.cell.c]
            .map((v, k) => formatMeasured(v, p.structure.cell.su?.[k], 4))
            .join(' ')
        : 'not there',
      weight: w ? `${formatMeasured(100 * w.value, 100 * w.su, 1)} %` : '–',
    };
  };
  return (
    <div className="comparison">
      <table>
        <thead>
          <tr>
            <td></td>
            <th className="n gold">{nameOfMark(before.mark)}</th>
            <th className="n">{nameOfMark(now.mark)}</th>
          </tr>
        </thead>
        <tbody>
          <tr>
            <td className="soft">Rwp</td>
            <td className="n">{percent(before.r1)}</td>
            <td className="n">{percent(now.r1)}</td>
          </tr>
          <tr>
            <td className="soft">S</td>
            <td className="n">{before.fit!.result?.s.toFixed(3) ?? '–'}</td>
            <td className="n">{now.fit!.result?.s.toFixed(3) ?? '–'}</td>
          </tr>
          <tr>
            <td className="soft">parameters</td>
            <td className="n">{before.fit!.result?.parameters ?? '–'}</td>
            <td className="n">{now.fit!.result?.parameters ?? '–'}</td>
          </tr>
        </tbody>
      </table>
      <div>
        <table>
          <thead>
            <tr>
              <th>phase</th>
              <th className="n gold">a b c / Å</th>
              <th className="n">a b c / Å</th>
              <th className="n gold">weight</th>
              <th className="n">weight</th>
            </tr>
          </thead>
          <tbody>
            {phases.map((p) => {
              const a = of(before, p.id),
                b = of(now, p.id);
              return (
                <tr key={p.id}>
                  <td>{p.name}</td>
                  <td className="n mono">{a.cell}</td>
                  <td className="n mono">{b.cell}</td>
                  <td className="n">{a.weight}</td>
                  <td className="n">{b.weight}</td>
                </tr>
              );
            })}
          </tbody>
        </table>
        <button className="word" onClick={onClose}>
          End the comparison
        </button>
      </div>
    </div>
  );
}

/** Two marks side by side: figures, moved atoms, added and lost ones; the other is drawn in gold in the scene. */
function ModelComparison({
  before,
  now,
  onClose,
}: {
  before: WithStructure;
  now: WithStructure;
  onClose(): void;
}): ReactNode {
  const c = useMemo(() => compareModels(before.structure, now.structure), [before, now]);
  const precision = useMemo(
    () => new Map([before, now].map((m) => [m.id, modelPrecision(m.structure)])),
    [before, now],
  );
  const same = sameAxes(before.structure, now.structure);
  const unrefined = !before.readings !== !now.readings ? [before, now].find((m) => !m.readings) : undefined;
  const row = (name: string, f: (m: WithStructure) => string | undefined): ReactNode => (
    <tr>
      <td className="soft">{name}</td>
      <td className="n">{f(before) ?? '–'}</td>
      <td className="n">{f(now) ?? '–'}</td>
    </tr>
  );
  return (
    <div className="comparison">
      <table>
        <thead>
          <tr>
            <td></td>
            <th className="n gold">{nameOfMark(before.mark)}</th>
            <th className="n">{nameOfMark(now.mark)}</th>
          </tr>
        </thead>
        <tbody>
          {row('R1', (m) => (m.r1 !== undefined ? percent(m.r1) : undefined))}
          {row('wR2', (m) => (m.wr2 !== undefined ? percent(m.wr2) : undefined))}
          {row('S', (m) => m.readings?.s.toFixed(3))}
          {row('parameters', (m) => m.readings && String(m.readings.parameters))}
          {row('s.u. of x, Å', (m) => precision.get(m.id)?.positionSu?.toFixed(4))}
          {row(
            'correlation',
            (m) =>
              m.readings?.correlations &&
              (m.readings.correlations[0] ? m.readings.correlations[0].value.toFixed(2) : 'below 0.5'),
          )}
          {row('ellipsoids', (m) => {
            const p = precision.get(m.id);
            return (
              p &&
              (p.impossible
                ? `${p.impossible} impossible`
                : p.elongation && `${p.elongation.ratio.toFixed(1)} ${p.elongation.label}`)
            );
          })}
          {row(
            'peak, hole, e Å⁻³',
            (m) => m.residual && `${m.residual.peak.toFixed(2)}, ${decimal(m.residual.hole, 2)}`,
          )}
        </tbody>
      </table>
      <div>
        {unrefined && (
          <p className="mb-1 off">
            {nameOfMark(unrefined.mark)} was not refined: its figures say nothing against those of a refined model.
          </p>
        )}
        <p className="mb-1">
          {!same ? (
            `${prettySymbol(before.structure.spaceGroup.symbol)} against ${prettySymbol(now.structure.spaceGroup.symbol)}, ${before.structure.sites.length} sites against ${now.structure.sites.length}: in other axes atoms are not compared place by place.`
          ) : c.moved.length ? (
            <>
              Moved:{' '}
              {c.moved
                .slice(0, 6)
                .map((x) => `${x.label} ${x.distance.toFixed(3)} Å`)
                .join(', ')}
              {c.moved.length > 6 ? ` and ${c.moved.length - 6} more` : ''}; r.m.s. {c.rms.toFixed(3)} Å.
            </>
          ) : (
            'No atom moved by more than 0.001 Å.'
          )}
        </p>
        {same && c.added.length > 0 && (
          <p className="mb-1">
            Added: {c.added.slice(0, 12).join(', ')}
            {c.added.length > 12 ? ` and ${c.added.length - 12} more` : ''}.
          </p>
        )}
        {same && c.lost.length > 0 && (
          <p className="mb-1">
            Gone: {c.lost.slice(0, 12).join(', ')}
            {c.lost.length > 12 ? ` and ${c.lost.length - 12} more` : ''}.
          </p>
        )}
        {c.retyped.length > 0 && <p className="mb-1">Other element: {c.retyped.slice(0, 8).join(', ')}.</p>}
        <button className="word" onClick={onClose}>
          End the comparison
        </button>
      </div>
    </div>
  );
}
