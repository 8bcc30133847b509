/** The proposals for a second place, and the copy laid by hand. */
import { useMemo, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { cartesian } from '@nagare/core/crystal/structure';
import { add, normalize, subtract, turn, type Vec3 } from '@nagare/core/math/matrix3';
import { middle } from '@nagare/core/math/superpose';
import { PlaceScorer } from '@nagare/core/model/second-place';
import { NumberField, percent, PickRow } from '../../frame/parts.tsx';
import { selectedSites } from '../../store/selection.ts';
import { useProject } from '../../store/use-project.tsx';
import type { Laying, PlaceHands } from './use-second-place.ts';

export function SecondPlaceProposals({ place, laying }: { place: PlaceHands; laying: Laying }): ReactNode {
  return (
    <>
      <p className="mb-1">
        The first place holds {(100 * laying.result.share).toFixed(0)} % of the density. R1 is{' '}
        {percent(laying.result.before, 1)} with one place; after a few cycles with two:
      </p>
      <table>
        <thead>
          <tr>
            <th>how</th>
            <th className="n">density</th>
            <th className="n">on density</th>
            <th className="n">moved, Å</th>
            <th className="n">R1</th>
          </tr>
        </thead>
        <tbody>
          {laying.result.proposals.map((p, i) => (
            <PickRow key={i} chosen={laying.proposal === p} onPick={() => place.show(p)}>
              <td>
                {i + 1}. {p.how}
              </td>
              <td className="n">{p.density.toFixed(2)}</td>
              <td className="n">
                {p.covered}/{p.atoms}
              </td>
              <td className="n">{p.moved.toFixed(2)}</td>
              <td className="n">{percent(p.r1, 1)}</td>
            </PickRow>
          ))}
        </tbody>
      </table>
      {place.positions ? (
        <Hand laying={laying} x={place.positions} onUse={place.use} />
      ) : (
        <button className="word" onClick={place.byHand}>
          Lay it by hand
        </button>
      )}
      <button className="word" onClick={place.leave}>
        Leave the model as it is (Esc)
      </button>
    </>
  );
}

/** Moving and turning the copy with its score and the nearest maxima live. */
function Hand({
  laying,
  x,
  onUse,
}: {
  laying: Laying;
  x: readonly Vec3[];
  onUse(positions: readonly Vec3[]): void;
}): ReactNode {
  const { head, ghost, setGhost, selection } = useProject('head', 'ghost', 'setGhost', 'selection');
  const s = head!.structure!;
  const scorer = useMemo(
    () => new PlaceScorer(laying.result.structure, laying.result.fragment, laying.result.map),
    [laying.result],
  );
  const [last, setLast] = useState<[number, number, number]>([0, 0, 0]);
  const d = scorer.describe(x, '');
  const c = middle(x);
  const nearest = laying.result.map.peaks
    .slice(0, 14)
    .map((p) => ({
      name: p.name,
      d: Math.min(...x.map((q) => Math.hypot(...subtract(q, cartesian(s.cell, p.position))))),
    }))
    .sort((a, b) => a.d - b.d)
    .slice(0, 3);
  const spin = (axis: Vec3, about: Vec3, degrees: number): void =>
    setGhost(
      (g) =>
        g && {
          ...g,
          positions: g.positions.map((p) => add(about, turn(subtract(p, about), axis, (degrees * Math.PI) / 180))),
        },
    );
  const ends = selectedSites(s, selection);
  const bond = ends.length === 2 ? ends.map((i) => cartesian(s.cell, s.sites[i]!.position)) : undefined;
  return (
    <div className="detail">
      <p className="mb-1">
        <span className="mono">{d.density.toFixed(2)} e Å⁻³</span> at the copy’s atoms,{' '}
        <span className="mono">
          {d.covered}/{d.atoms}
        </span>{' '}
        on density, score <span className="mono">{d.score.toFixed(2)}</span>; nearest{' '}
        {nearest.map((p) => `${p.name} ${p.d.toFixed(2)} Å`).join(', ')}.
      </p>
      <div className="d-flex flex-wrap gap-1 mb-1">
        <button
          className="word"
          aria-pressed={ghost!.movable === 'move'}
          onClick={() => setGhost((g) => g && { ...g, movable: 'move' })}
        >
          Drag moves
        </button>
        <button
          className="word"
          aria-pressed={ghost!.movable === 'turn'}
          onClick={() => setGhost((g) => g && { ...g, movable: 'turn' })}
        >
          Drag turns
        </button>
        <span className="soft">Shift+arrows do the same</span>
      </div>
      <div className="six mb-1">
        {(['x', 'y', 'z'] as const).map((axis, k) => (
          <span key={axis} className="d-flex gap-1 align-items-center">
            <label htmlFor={`shift-${axis}`} className="soft">
              {axis}
            </label>
            <NumberField
              id={`shift-${axis}`}
              value={last[k]}
              digits={2}
              step={0.05}
              unit="Å"
              onChange={(v) => {
                const by = v - last[k]!;
                setLast((l) => l.map((y, i) => (i === k ? v : y)) as [number, number, number]);
                setGhost(
                  (g) =>
                    g && {
                      ...g,
                      positions: g.positions.map((p) => add(p, [k === 0 ? by : 0, k === 1 ? by : 0, k === 2 ? by : 0])),
                    },
                );
              }}
            />
          </span>
        ))}
      </div>
      <div className="d-flex flex-wrap gap-1">
        {(['x', 'y', 'z'] as const).map((axis, k) =>
          [-5, 5].map((a) => (
            <button
              key={axis + a}
              className="word"
              onClick={() => spin([k === 0 ? 1 : 0, k === 1 ? 1 : 0, k === 2 ? 1 : 0], c, a)}
            >
              {axis} {a > 0 ? '+' : '−'}5°
            </button>
          )),
        )}
        {bond &&
          [-5, 5].map((a) => (
            <button
              key={`b${a}`}
              className="word"
              onClick={() => spin(normalize(subtract(bond[1]!, bond[0]!)), bond[0]!, a)}
            >
              bond {a > 0 ? '+' : '−'}5°
            </button>
          ))}
      </div>
      <Button className="mt-2" size="sm" onClick={() => onUse(x)}>
        Use this place
      </Button>
    </div>
  );
}
