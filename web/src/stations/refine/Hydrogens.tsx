/** Hydrogens: the plan with its evidence, what is placed and how it is held, and turning by hand with the score live. */
import { originalRef, positionOf, siteOf } from '@nagare/core/crystal/atom-ref';
import { useEffect, useMemo, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { NO_CONTROLS, SHAPES, type Hold, type HydrogenShape } from '@nagare/core/crystal/controls';
import { cartesian, contentsOfUnit } from '@nagare/core/crystal/structure';
import { subtract } from '@nagare/core/math/matrix3';
import { planShape, rowFor, type HydrogenPlan, type HydrogenRow } from '@nagare/core/model/hydrogen-plan';
import { placeHydrogens, withSites } from '@nagare/core/model/place-hydrogens';
import type { MapResult } from '@nagare/core/settle/stage';
import { run } from '../../engine/engine.ts';
import { PickRow, Sheet } from '../../frame/parts.tsx';
import { useProject, useEdit } from '../../store/use-project.tsx';
import { useExperiment } from './use-experiment.ts';
import { HOLDS, Placed } from './PlacedHydrogens.tsx';
import { Circle } from './DensityCircle.tsx';

export function HydrogensSheet(): ReactNode {
  const { project, head, work, perform, setGhost, setProblem, selection, select } = useProject(
    'project',
    'head',
    'work',
    'perform',
    'setGhost',
    'setProblem',
    'selection',
    'select',
  );
  const edit = useEdit();
  const input = useExperiment();
  const [plan, setPlan] = useState<
    { markId: string; plan: HydrogenPlan; map: MapResult; without: string[] } | undefined
  >();
  const [chosen, setChosen] = useState<Set<string>>(new Set());
  const [open, setOpen] = useState<string | undefined>();
  const s = head!.structure!;
  const now = plan?.markId === head!.id ? plan : undefined;
  const groups = (s.controls ?? NO_CONTROLS).hydrogens;
  const labels = useMemo(() => new Map(s.sites.map((x) => [x.id, x.label])), [s]);
  const loose = s.sites.filter((x) => x.element === 'H').length - groups.reduce((n, g) => n + g.hydrogens.length, 0);
  const shown = now?.plan.rows.filter((r) => r.shape !== 'none' || r.confidence === 'look');

  // What is chosen is shown where it would be placed.
  useEffect(() => {
    if (!now) return;
    const rows = now.plan.rows.filter((r) => (open ? r.key === open : chosen.has(r.key)));
    const positions = rows.flatMap((r) => r.positions.map((p) => cartesian(s.cell, p)));
    setGhost(
      positions.length
        ? { title: 'planned hydrogens', positions, elements: positions.map(() => 'H'), colour: 'gold' }
        : undefined,
    );
    return () => setGhost(undefined);
  }, [now, chosen, open, s, setGhost]);

  const make = async (without: string[] = []): Promise<void> => {
    if (!input) return;
    const contents = contentsOfUnit(s, project.experiment.formula, project.experiment.z);
    const done = await perform('Planning hydrogens', (tell) =>
      run(
        'plan',
        {
          ...input,
          without,
          ...(project.experiment.temperature ? { temperature: project.experiment.temperature } : {}),
          ...(contents?.['H'] !== undefined ? { expected: contents['H'] } : {}),
        },
        tell,
      ),
    );
    if (!done) return;
    setPlan({ markId: head!.id, plan: done.plan, map: done.map, without });
    setChosen(new Set(done.plan.rows.filter((r) => r.shape !== 'none').map((r) => r.key)));
    setOpen(undefined);
  };
  const bare = now?.without.length
    ? withSites(
        s,
        s.sites.filter((x) => !now.without.includes(x.id)),
      )
    : s;
  const replace = (row: HydrogenRow): void =>
    setPlan((p) => p && { ...p, plan: { ...p.plan, rows: p.plan.rows.map((r) => (r.key === row.key ? row : r)) } });
  const reshape = (
    row: HydrogenRow,
    shape: HydrogenShape | 'none',
    more: Parameters<typeof planShape>[3] = {},
  ): void => {
    if (shape === 'none') {
      replace({ ...row, shape, count: 0, positions: [], density: [], partners: [] });
      return;
    }
    try {
      const hold = row.hold;
      const next = planShape(
        {
          structure: bare,
          map: now!.map,
          ...(project.experiment.temperature ? { temperature: project.experiment.temperature } : {}),
        },
        row,
        shape,
        { ...(now!.plan.typical ? { typical: now!.plan.typical } : {}), ...more },
      );
      replace({
        ...next,
        ...(shape === row.shape ? { hold, ...(row.circle && !next.circle ? { circle: row.circle } : {}) } : {}),
      });
      setChosen((c) => new Set([...c, row.key]));
    } catch (e) {
      setProblem((e as Error).message);
    }
  };
  const place = (): void => {
    const rows = now!.plan.rows.filter((r) => chosen.has(r.key) && r.shape !== 'none');
    void edit(
      placeHydrogens(bare, rows),
      `${rows.reduce((n, r) => n + r.count, 0)} hydrogens placed${now!.without.length ? ' again' : ''}`,
    );
    setPlan(undefined);
  };
  const count = now ? now.plan.rows.filter((r) => chosen.has(r.key)).reduce((n, r) => n + r.count, 0) : 0;
  const asked =
    now && selection.length === 1
      ? bare.sites.findIndex(
          (x) =>
            x.id === selection[0]!.site &&
            x.element !== 'H' &&
            !now.plan.rows.some((r) => r.parent === x.id && (r.shape !== 'none' || r.confidence === 'look')),
        )
      : -1;
  const direction = selection.length === 1 ? selection[0] : undefined;
  const state =
    now && !shown?.length ? (
      'Nothing is missing: every atom that can carry hydrogens has them.'
    ) : now ? (
      <>
        {now.plan.proposed.toFixed(now.plan.proposed % 1 ? 1 : 0)} proposed
        {now.plan.expected !== undefined
          ? `, the formula asks for ${now.plan.expected.toFixed(now.plan.expected % 1 ? 1 : 0)}`
          : ''}
        {now.plan.typical ? `; a sure one shows ${now.plan.typical.toFixed(2)} e Å⁻³` : ''}.
      </>
    ) : groups.length ? (
      <>
        {groups.reduce((n, g) => n + g.hydrogens.length, 0)} on {groups.length} atoms
        {loose ? `, ${loose} not held by any group` : ''}.
      </>
    ) : loose ? (
      `${loose} hydrogens, refined freely.`
    ) : (
      'None placed. The plan shows every atom that can carry them, with the density there, before anything is placed.'
    );
  return (
    <Sheet
      title="Hydrogens"
      fold
      state={state}
      action={
        input ? (
          <Button size="sm" variant="outline-primary" disabled={!!work} onClick={() => void make()}>
            {now ? 'Plan again' : 'Make a plan'}
          </Button>
        ) : undefined
      }
    >
      {now && shown && (
        <>
          <table className="plan" hidden={!shown.length}>
            <thead>
              <tr>
                <th>
                  <input
                    type="checkbox"
                    aria-label="Choose all"
                    checked={chosen.size >= shown.length && shown.length > 0}
                    onChange={(e) => setChosen(new Set(e.target.checked ? shown.map((r) => r.key) : []))}
                  />
                </th>
                <th>atom</th>
                <th>shape</th>
                <th className="n">e Å⁻³</th>
                <td></td>
              </tr>
            </thead>
            <tbody>
              {shown.flatMap((r) => [
                <PickRow
                  key={r.key}
                  chosen={open === r.key}
                  onPick={() => {
                    setOpen(open === r.key ? undefined : r.key);
                    const i = s.sites.findIndex((x) => x.id === r.parent);
                    if (i >= 0) select([originalRef(r.parent)]);
                  }}
                >
                  <td>
                    <input
                      type="checkbox"
                      aria-label={`Place on ${r.label}`}
                      checked={chosen.has(r.key)}
                      onClick={(e) => e.stopPropagation()}
                      onChange={() =>
                        setChosen((c) => {
                          const n = new Set(c);
                          if (!n.delete(r.key)) n.add(r.key);
                          return n;
                        })
                      }
                    />
                  </td>
                  <td>
                    <span className="soft" aria-hidden="true">
                      {open === r.key ? '▾' : '▸'}
                    </span>{' '}
                    {r.label}
                    {r.disorder ? (
                      <small className="soft">
                        {' '}
                        {r.disorder.assembly}.{r.disorder.group}
                      </small>
                    ) : (
                      ''
                    )}
                  </td>
                  <td>{r.shape === 'none' ? 'no hydrogen' : `${r.count} × ${r.shape}`}</td>
                  <td className="n">{r.density.map((x) => x.toFixed(2)).join(' ')}</td>
                  <td className={r.confidence === 'look' ? 'off' : 'soft'}>
                    {r.confidence === 'look' ? '◇ look' : r.confidence}
                  </td>
                </PickRow>,
                ...(open === r.key
                  ? [
                      <tr key={`${r.key}-detail`}>
                        <td colSpan={5}>
                          <div className="detail">
                            <p className="mb-1">
                              {r.why}
                              {r.partners.length ? (
                                <>
                                  ; bonds to{' '}
                                  {r.partners
                                    .map(
                                      (p) =>
                                        `${p.label} (${r.element}…${p.label.replace(/\d.*/, '')} ${p.distance.toFixed(2)} Å, ${p.angle.toFixed(0)}°)`,
                                    )
                                    .join(', ')}
                                </>
                              ) : (
                                ''
                              )}
                              .
                            </p>
                            {r.warning && <p className="off mb-1">{r.warning}</p>}
                            <div className="field">
                              <label htmlFor="h-shape">Shape</label>
                              <select
                                id="h-shape"
                                className="form-select form-select-sm"
                                value={r.shape}
                                onChange={(e) => reshape(r, e.target.value as HydrogenShape)}
                              >
                                <option value="none">no hydrogen</option>
                                {SHAPES.filter((x) => x !== 'chosen').map((x) => (
                                  <option key={x}>{x}</option>
                                ))}
                                <option value="chosen">along a direction of your own</option>
                              </select>
                            </div>
                            <div className="field">
                              <label htmlFor="h-hold">Held</label>
                              <select
                                id="h-hold"
                                className="form-select form-select-sm"
                                value={r.hold}
                                onChange={(e) => replace({ ...r, hold: e.target.value as Hold })}
                              >
                                {HOLDS.map((h) => (
                                  <option key={h}>{h}</option>
                                ))}
                              </select>
                            </div>
                            {r.shape !== 'none' && r.circle && (
                              <Circle row={r} onTurn={(d) => reshape(r, r.shape as HydrogenShape, { torsion: d })} />
                            )}
                            <div className="d-flex flex-wrap gap-1">
                              <span className="soft">
                                {direction && direction.site !== r.parent
                                  ? `On the side away from ${siteOf(s, direction)?.label}:`
                                  : 'Select a neighbour to lay hydrogens on the side away from it:'}
                              </span>
                              {[1, 2, 3].map((n) => (
                                <button
                                  key={n}
                                  className="word"
                                  disabled={!direction || direction.site === r.parent}
                                  onClick={() => {
                                    const p = cartesian(s.cell, s.sites.find((x) => x.id === r.parent)!.position),
                                      q = cartesian(s.cell, positionOf(s, direction!));
                                    const away = subtract(p, q);
                                    if (Math.hypot(...away) < 0.1)
                                      setProblem(
                                        'Select another atom than the parent: the hydrogens will lie on the side away from it.',
                                      );
                                    else reshape(r, 'chosen', { count: n, along: away });
                                  }}
                                >
                                  {n} hydrogen{n > 1 ? 's' : ''}
                                </button>
                              ))}
                            </div>
                          </div>
                        </td>
                      </tr>,
                    ]
                  : []),
              ])}
            </tbody>
          </table>
          {asked >= 0 && now && (
            <button
              className="word"
              onClick={() => {
                const row = rowFor(bare, asked);
                setPlan((p) => p && { ...p, plan: { ...p.plan, rows: [row, ...p.plan.rows] } });
                setOpen(row.key);
              }}
            >
              Add {bare.sites[asked]!.label} to the plan
            </button>
          )}
          {shown.length > 0 && (
            <Button autoFocus className="mt-2" disabled={!count || !!work} onClick={place}>
              Place {count} {count === 1 ? 'hydrogen' : 'hydrogens'}
            </Button>
          )}
          <button className="word ms-2" onClick={() => setPlan(undefined)}>
            Leave the plan
          </button>
        </>
      )}
      {!now && groups.length > 0 && <Placed onAgain={(ids) => void make(ids)} labels={labels} />}
    </Sheet>
  );
}
