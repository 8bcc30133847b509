/** Disorder: second places by machine and by hand, assemblies and groups in words, ellipsoids that cannot be. */
import { atomsOfSites, selectedSites } from '../../store/selection.ts';
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { inverse3, apply3, add, normalize, subtract, turn, type Vec3 } from '@nagare/core/math/matrix3';
import { orthogonalization } from '@nagare/core/crystal/cell';
import { isSymmetryGroup } from '@nagare/core/crystal/controls';
import { isHydrogen } from '@nagare/core/crystal/elements';
import { cartesian } from '@nagare/core/crystal/structure';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import { middle } from '@nagare/core/math/superpose';
import { addPlace, assemblies, nextAssembly, removeGroup, setGroup } from '@nagare/core/model/disorder';
import { judgeEllipsoids, mendEllipsoids, splitAlong } from '@nagare/core/model/ellipsoids';
import { fragmentOf, PlaceScorer, type PlaceProposal } from '@nagare/core/model/second-place';
import type { PlacesTaskResult } from '@nagare/core/tasks/model-tasks';
import { run } from '../../engine/engine.ts';
import { NumberField, percent, Sheet } from '../../frame/parts.tsx';
import { useProject, useEdit } from '../../store/use-project.tsx';
import { useExperiment } from './use-experiment.ts';

interface Laying {
  markId: string;
  sites: number[];
  result: PlacesTaskResult;
  proposal: PlaceProposal | undefined;
}

export function DisorderSheet(): ReactNode {
  const { head, work, perform, selection, select, setProblem, ghost, setGhost, hidden, setHidden } = useProject(
    'head',
    'work',
    'perform',
    'selection',
    'select',
    'setProblem',
    'ghost',
    'setGhost',
    'hidden',
    'setHidden',
  );
  const edit = useEdit();
  const input = useExperiment();
  const s = head!.structure!;
  const list = useMemo(() => assemblies(s), [s]);
  const ellipsoids = useMemo(() => judgeEllipsoids(s), [s]);
  const [laying, setLaying] = useState<Laying | undefined>();
  const [turnBonds, setTurnBonds] = useState(true);
  const searched = useRef<{ readonly key: string; readonly result: PlacesTaskResult } | undefined>(undefined);
  const now = laying?.markId === head!.id ? laying : undefined;
  const picked = selectedSites(s, selection).filter((i) => s.sites[i] && !isHydrogen(s.sites[i]!.element));
  const impossible = ellipsoids.filter((e) => e.kind === 'impossible');

  const begin = async (sites: number[]): Promise<void> => {
    if (!input) return;
    // What was searched for once at this mark is at hand when the person comes back to it.
    const key = `${head!.id}|${sites.join()}|${turnBonds}`;
    const known = searched.current?.key === key ? searched.current.result : undefined;
    const search = () =>
      perform('Laying out a second place', (tell) => run('places', { ...input, sites, turn: turnBonds }, tell));
    const result = known ?? (await search());
    if (!result) return;
    searched.current = { key, result };
    setLaying({ markId: head!.id, sites, result, proposal: undefined });
    if (result.proposals[0]) show(result.proposals[0], sites, result);
    else setProblem('No place was found where the copy meets residual density. Choose other atoms, or lay it by hand.');
  };
  const show = (p: PlaceProposal, sites: number[], result: PlacesTaskResult): void => {
    const fragment = fragmentOf(s, sites);
    setLaying({ markId: head!.id, sites, result, proposal: p });
    setGhost({
      title: 'second place',
      positions: p.positions.map((x) => cartesian(s.cell, x)),
      elements: fragment.sites.map((i) => s.sites[i]!.element),
      colour: 'gold',
      movable: 'move',
      map: result.map,
    });
  };
  const byHand = (): void => {
    const fragment = fragmentOf(s, now!.sites);
    setGhost({
      title: 'second place',
      positions: fragment.positions.map((x) => add(x, [0.5, 0, 0])),
      elements: fragment.sites.map((i) => s.sites[i]!.element),
      colour: 'gold',
      movable: 'move',
      map: now!.result.map,
    });
  };
  // Escape in the scene puts the ghost away; then nothing is being laid.
  const had = useRef(false);
  useEffect(() => {
    if (ghost?.title === 'second place') had.current = true;
    else if (had.current) {
      had.current = false;
      setLaying(undefined);
    }
  }, [ghost]);

  return (
    <Sheet
      title="Disorder"
      fold
      state={
        list.length
          ? list
              .map(
                (a) =>
                  `${a.assembly}: ${a.groups.map((g) => `${g.group} at ${formatMeasured(100 * g.occupancy, 100 * g.su, 1)} %`).join(', ')}`,
              )
              .join('; ')
          : impossible.length
            ? `${impossible.length} impossible ${impossible.length === 1 ? 'ellipsoid' : 'ellipsoids'}.`
            : 'Every atom has one place.'
      }
      action={
        input && !now ? (
          <Button
            size="sm"
            variant="outline-primary"
            disabled={!picked.length || !!work}
            title={picked.length ? '' : 'Select the atoms that lie two ways first'}
            onClick={() => void begin(picked)}
          >
            Second place{picked.length ? ` for ${picked.length} ${picked.length === 1 ? 'atom' : 'atoms'}` : ''}
          </Button>
        ) : undefined
      }
    >
      {!now && picked.length > 5 && (
        <label className="soft d-flex gap-1 mb-1">
          <input type="checkbox" checked={turnBonds} onChange={(e) => setTurnBonds(e.target.checked)} /> bonds inside
          the selection may turn
        </label>
      )}
      {!picked.length && !now && (
        <p className="soft mb-1">
          Select atoms in the scene or the table (a ring, an anion, a whole molecule) to lay out where else they are.
        </p>
      )}
      {now && (
        <>
          <p className="mb-1">
            The first place holds {(100 * now.result.share).toFixed(0)} % of the density. R1 is{' '}
            {percent(now.result.before, 1)} with one place; after a few cycles with two:
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
              {now.result.proposals.map((p, i) => (
                <tr
                  key={i}
                  tabIndex={0}
                  className={`pick${now.proposal === p ? ' chosen' : ''}`}
                  onClick={() => show(p, now.sites, now.result)}
                  onKeyDown={(e) => {
                    if (e.key === 'Enter') show(p, now.sites, now.result);
                  }}
                >
                  <td>
                    {i + 1}. {p.how}
                  </td>
                  <td className="n">{p.density.toFixed(2)}</td>
                  <td className="n">
                    {p.covered}/{p.atoms}
                  </td>
                  <td className="n">{p.moved.toFixed(2)}</td>
                  <td className="n">{percent(p.r1, 1)}</td>
                </tr>
              ))}
            </tbody>
          </table>
          {ghost?.title === 'second place' ? (
            <Hand
              laying={now}
              onUse={(positions) => {
                const fragment = fragmentOf(s, now.sites);
                const inverse = inverse3(orthogonalization(s.cell));
                void edit(
                  addPlace(s, {
                    sites: fragment.sites,
                    positions: positions.map((p) => apply3(inverse, p)),
                    occupancy: Math.min(0.85, Math.max(0.15, 1 - now.result.share)),
                  }),
                  `second place for ${now.sites.length <= 3 ? now.sites.map((i) => s.sites[i]!.label).join(', ') : `${now.sites.length} atoms`}`,
                );
                setLaying(undefined);
              }}
            />
          ) : (
            <button className="word" onClick={byHand}>
              Lay it by hand
            </button>
          )}
          <button
            className="word"
            onClick={() => {
              setGhost(undefined);
              setLaying(undefined);
            }}
          >
            Leave the model as it is (Esc)
          </button>
        </>
      )}
      {list.map((a) => (
        <div key={a.assembly} className="assembly">
          <b>Assembly {a.assembly}</b>
          {a.tied ? (
            <span className="soft"> one refined number, sums to one</span>
          ) : a.groups.some((g) => isSymmetryGroup(g.group)) ? (
            <span className="soft"> about a symmetry element</span>
          ) : (
            <span className="soft"> occupancies held</span>
          )}
          <table>
            <tbody>
              {a.groups.map((g) => {
                const key = `${a.assembly}.${g.group}`;
                return (
                  <tr key={g.group}>
                    <td>group {g.group}</td>
                    <td className="soft">
                      {g.sites.filter((i) => !isHydrogen(s.sites[i]!.element)).length} atoms,{' '}
                      {g.sites.filter((i) => isHydrogen(s.sites[i]!.element)).length} H
                    </td>
                    <td className={`n${g.occupancy < 0.05 ? ' off' : ''}`}>{formatMeasured(g.occupancy, g.su, 3)}</td>
                    <td>
                      <button
                        className="word"
                        aria-pressed={!hidden.includes(key)}
                        onClick={() =>
                          setHidden(hidden.includes(key) ? hidden.filter((x) => x !== key) : [...hidden, key])
                        }
                      >
                        shown
                      </button>
                      <button className="word" onClick={() => select(atomsOfSites(s, g.sites))}>
                        select
                      </button>
                      <button
                        className="word off"
                        onClick={() =>
                          void edit(
                            removeGroup(s, a.assembly, g.group),
                            `group ${g.group} of assembly ${a.assembly} removed`,
                          )
                        }
                      >
                        remove
                      </button>
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </table>
          {a.groups.some((g) => !isSymmetryGroup(g.group) && g.occupancy < 0.05) && (
            <p className="off mb-0">A group under 5 % may not be there: compare R1 without it.</p>
          )}
        </div>
      ))}
      {picked.length > 0 && !now && (
        <div className="mt-1">
          <button
            className="word"
            onClick={() => {
              const a = nextAssembly(s);
              void edit(
                setGroup(s, selectedSites(s, selection), a, '-1'),
                `${picked.length} atoms disordered about a symmetry element`,
              );
            }}
          >
            Disordered about a symmetry element
          </button>
          {list.map((a) =>
            a.groups.map((g) => (
              <button
                key={a.assembly + g.group}
                className="word"
                onClick={() =>
                  void edit(
                    setGroup(s, selectedSites(s, selection), a.assembly, g.group),
                    `${picked.length} atoms to group ${g.group} of ${a.assembly}`,
                  )
                }
              >
                into {a.assembly}.{g.group}
              </button>
            )),
          )}
          {picked.some((i) => s.sites[i]!.disorder) && (
            <button
              className="word"
              onClick={() =>
                void edit(setGroup(s, selectedSites(s, selection), '', ''), 'taken out of their disorder group')
              }
            >
              out of its group
            </button>
          )}
          {picked.length === 1 && s.sites[picked[0]!]!.displacement.kind === 'aniso' && (
            <button
              className="word"
              onClick={() => {
                const [p, q] = splitAlong(s, picked[0]!);
                const first = { ...s, sites: s.sites.map((x, i) => (i === picked[0] ? { ...x, position: p } : x)) };
                const fragment = fragmentOf(first, picked);
                void edit(
                  addPlace(first, {
                    sites: fragment.sites,
                    positions: fragment.sites.map((i) => (i === picked[0] ? q : first.sites[i]!.position)),
                    occupancy: 0.5,
                  }),
                  `${s.sites[picked[0]!]!.label} split along its long axis`,
                );
              }}
            >
              Split along its long axis
            </button>
          )}
        </div>
      )}
      {ellipsoids.length > 0 && (
        <details open={impossible.length > 0}>
          <summary>{ellipsoids.length} conspicuous ellipsoids</summary>
          {ellipsoids.slice(0, 8).map((e) => (
            <p key={e.site + e.kind} className="mb-1">
              <button className="word" onClick={() => select(atomsOfSites(s, [e.site]))}>
                {s.sites[e.site]!.label}
              </button>{' '}
              {e.text.replace(/^[^\s:]+:? /, '')}
            </p>
          ))}
          {impossible.length > 0 && (
            <button
              className="word"
              onClick={() =>
                void edit(
                  mendEllipsoids(
                    s,
                    impossible.map((e) => e.site),
                  ),
                  `restraints for impossible ellipsoids of ${impossible.map((e) => s.sites[e.site]!.label).join(', ')}`,
                )
              }
            >
              Start them again, held nearly isotropic
            </button>
          )}
        </details>
      )}
    </Sheet>
  );
}

/** Moving and turning the copy with its score and the nearest maxima live. */
function Hand({ laying, onUse }: { laying: Laying; onUse(positions: Vec3[]): void }): ReactNode {
  const { head, ghost, setGhost, selection } = useProject('head', 'ghost', 'setGhost', 'selection');
  const s = head!.structure!;
  const scorer = useMemo(
    () =>
      new PlaceScorer(laying.result.structure, fragmentOf(laying.result.structure, laying.sites), laying.result.map),
    [laying],
  );
  const [last, setLast] = useState<[number, number, number]>([0, 0, 0]);
  const x = ghost!.positions;
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
        <span className="mono">{d.density.toFixed(2)} e/Å³</span> at the copy’s atoms,{' '}
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
