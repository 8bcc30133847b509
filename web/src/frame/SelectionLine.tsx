/** What is selected and what that selection measures at once, with its s.u. */
import { useMemo, type ReactNode } from 'react';
import { IDENTITY, operatorKey, operatorToXyz } from '@nagare/core/crystal/operator';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import { orthogonalization } from '@nagare/core/crystal/cell';
import { apply3, type Vec3 } from '@nagare/core/math/matrix3';
import { applyOperator } from '@nagare/core/crystal/operator';
import { angleOf, distanceOf, measure, planeOf, torsionOf } from '@nagare/core/geometry/measure';
import { useSession, type Picked } from '../store/session.tsx';
import type { Structure } from '@nagare/core/crystal/structure';

const isPlain = (p: Picked): boolean =>
  operatorKey(p.operator) === operatorKey(IDENTITY) && p.operator.t.every((t) => Math.abs(t) < 1e-9);

/** Label with a prime for copies made by symmetry. */
export const pickedName = (s: Structure, p: Picked): string =>
  `${s.sites[p.site]?.label ?? '?'}${isPlain(p) ? '' : '′'}`;

export function SelectionLine(): ReactNode {
  const { head, selection, result, select } = useSession();
  const text = useMemo(() => {
    if (!head || !selection.length) return undefined;
    const s = head.structure,
      cov = result?.covariance;
    const valid = selection.filter((p) => s.sites[p.site]);
    if (!valid.length) return undefined;
    const names = valid.map((p) => pickedName(s, p));
    if (valid.length === 1)
      return { names, value: isPlain(valid[0]!) ? 'one site' : `copy by ${operatorToXyz(valid[0]!.operator)}` };
    if (valid.length === 2) {
      const m = measure(s, valid, distanceOf, cov);
      return { names, value: `distance ${formatMeasured(m.value, m.su, 3)} Å` };
    }
    if (valid.length === 3) {
      const m = measure(s, valid, angleOf, cov);
      return { names, value: `angle ${formatMeasured(m.value, m.su, 1)}°` };
    }
    if (valid.length === 4) {
      const m = measure(s, valid, torsionOf, cov);
      return { names, value: `torsion ${formatMeasured(m.value, m.su, 1)}°` };
    }
    if (valid.length > 60) return { names: [`${valid.length} sites`], value: '' };
    const M = orthogonalization(s.cell);
    const plane = planeOf(valid.map((p) => apply3(M, applyOperator(p.operator, s.sites[p.site]!.position)) as Vec3));
    return {
      names,
      value: `plane, r.m.s. deviation ${plane.rms.toFixed(3)} Å, largest ${Math.max(...plane.deviations.map(Math.abs)).toFixed(3)} Å`,
    };
  }, [head, selection, result]);
  return (
    <div className="selection-line" aria-live="polite">
      {!text ? (
        <span className="soft">
          Nothing selected. Click atoms to measure: two give a distance, three an angle, four a torsion, more a plane.
        </span>
      ) : (
        <>
          <b className="text-truncate">
            {text.names.slice(0, 8).join(' – ')}
            {text.names.length > 8 ? ' …' : ''}
          </b>
          <span className="value" data-testid="measurement">
            {text.value}
          </span>
          <span className="flex-grow-1" />
          {text.value && (
            <button
              className="word"
              onClick={() => void navigator.clipboard.writeText(`${text.names.join(' – ')}: ${text.value}`)}
            >
              Copy
            </button>
          )}
          <button className="word" onClick={() => select([])}>
            Clear
          </button>
        </>
      )}
    </div>
  );
}
