/** Staged runs, with the pattern moving while they go; what came out; series. */
import { useMemo, useRef, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { cellParameters, cellVolume } from '@nagare/core/crystal/cell';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import { CONSTANT_SIGNS, freeConstants } from '@nagare/core/powder/model';
import type { FitCycle } from '@nagare/core/powder/least-squares';
import { RECIPES, type RunReport, type Stage } from '@nagare/core/powder/recipes';
import { run } from '../../engine/engine.ts';
import { Gauge, percent, Sheet } from '../../frame/parts.tsx';
import { saveFile, updateProject } from '../../store/projects.ts';
import { db } from '../../store/db.ts';
import type { FitState } from '../../store/marks.ts';
import { useProject } from '../../store/use-project.tsx';
import { phaseColour } from './colours.ts';
import { useFit } from './use-fit.tsx';
import { fitCsv } from '@nagare/core/publish/pattern-cif';

export function RunSheet({ free, setFree }: { free: ReadonlySet<string>; setFree(f: Set<string>): void }): ReactNode {
  const fit = useFit('at', 'figures', 'model', 'own', 'pattern', 'patterns', 'result', 'show', 'state', 'trial');
  const { model, state, pattern, patterns, figures, result, show, trial } = fit;
  const { project, head, goTo, record, perform, work, place, setPlace, setProblem } = useProject(
    'project',
    'head',
    'goTo',
    'record',
    'perform',
    'work',
    'place',
    'setPlace',
    'setProblem',
  );
  const extraction = !!model?.phases.length && model.phases.every((p) => p.extraction);
  const [name, setName] = useState<string | undefined>();
  const recipeName = name ?? (extraction ? 'profile' : 'quantify');
  const recipe = RECIPES.find((r) => r.name === recipeName);
  const [log, setLog] = useState<{ title: string; rwp: number; text: string; undone?: boolean }[]>([]);
  const [joint, setJoint] = useState(false);
  const many = (state?.patterns.length ?? 1) > 1;
  if (!model || !state || !pattern) return null;
  const go = async (own?: readonly Stage[]): Promise<void> => {
    const base: FitState = joint && !many ? await joined() : state;
    const start = joint && !many ? base.model : model;
    const data = base.patterns.map((id) => patterns.find((p) => p.id === id)!.file.pattern);
    setLog([]);
    let parent = head?.id;
    let throttle = 0;
    const pending: Promise<void>[] = [];
    let chain = Promise.resolve();
    const done = await perform(recipe && !own ? recipe.title : 'Refining what is ticked', (tell) =>
      run(
        'fit',
        { model: start, patterns: data, recipe: own ?? recipeName, ...(own ? { free: [...free] } : {}) },
        (r: RunReport) => {
          const c: FitCycle | undefined = r.cycle;
          tell(
            `stage ${r.stage} of ${r.of}, ${r.title}${c ? `: cycle ${c.cycle}, Rwp ${percent(c.rwp)}, S ${c.s.toFixed(2)}, largest shift ${c.maxShiftOverSu.toFixed(2)} s.u. (${c.maxShiftOf})` : ''}`,
          );
          if (c && performance.now() - throttle > 60) {
            throttle = performance.now();
            show(c.model);
          }
          if (r.done) {
            const d = r.done;
            show(d.model);
            setLog((l) => [
              ...l,
              {
                title: d.title,
                rwp: d.figures.rwp,
                text: d.undone ?? d.note ?? '',
                ...(d.undone ? { undone: true } : {}),
              },
            ]);
            if (!d.undone && r.stage < r.of)
              chain = chain.then(async () => {
                parent = await record({
                  parent: parent ?? null,
                  kind: 'edit',
                  title: d.title,
                  rwp: d.figures.rwp,
                  message: d.note ?? d.says,
                  content: { kind: 'fit', fit: { model: d.model, patterns: base.patterns } },
                });
              });
            pending.push(chain);
          }
        },
        place,
      ),
    );
    await Promise.all(pending);
    await chain;
    if (done) {
      const last = done.stages.at(-1);
      const used = new Set<string>(own ? free : recipe!.stages.flatMap((s) => [...(s.free ?? [])]));
      await record({
        parent: parent ?? null,
        kind: 'fit',
        title: own ? 'What was ticked' : done.stopped ? `${recipe!.title}, stopped` : (last?.title ?? recipe!.title),
        rwp: done.result.rwp,
        message: done.message,
        content: {
          kind: 'fit',
          fit: { model: done.model, patterns: base.patterns, result: done.result, free: [...used] },
        },
      });
      setFree(used);
      if (done.stages.some((s) => s.undone)) setProblem(done.message);
    } else if (parent && parent !== head?.id) void goTo(parent);
    show(undefined);
  };
  /** The same phases against every pattern of the project at once. */
  const joined = async (): Promise<FitState> => {
    const row = (await db.powder.get(project.id))!;
    const { newPatternModel } = await import('@nagare/core/powder/model');
    return {
      patterns: patterns.map((p) => p.id),
      model: {
        ...model,
        patterns: patterns.map((p) =>
          p.id === patterns[fit.at]!.id
            ? fit.own!
            : { ...newPatternModel(p.file.pattern, row.instrument, model.phases.length, 8), scales: fit.own!.scales },
        ),
      },
    };
  };
  const ticked: Stage[] = [{ title: 'What is ticked', says: '', kind: 'refine', cycles: 25 }];
  const real = model.phases.filter((p) => p.id !== trial?.id);
  return (
    <Sheet
      title="Fit"
      state={
        result
          ? `Rwp ${percent(result.rwp)}, S ${result.s.toFixed(2)}, ${result.parameters} parameters against ${result.patterns.reduce((n, p) => n + p.points, 0)} points.`
          : real.length
            ? 'Choose what you want to know; the stages free parameters in a safe order.'
            : 'Add a phase first.'
      }
    >
      {figures && real.length > 0 && (
        <>
          <Gauge
            name="Rwp"
            value={figures.rwp}
            text={percent(figures.rwp)}
            from={0}
            to={0.4}
            target={0.1}
            better="below"
          />
          <Gauge
            name="S"
            value={figures.s}
            text={figures.s.toFixed(2)}
            from={0.8}
            to={4}
            target={1.5}
            better="below"
            hint="Rwp over what counting alone would give"
          />
        </>
      )}
      <div className="d-flex gap-2 align-items-center mt-2">
        <select
          className="form-select form-select-sm"
          aria-label="Recipe"
          value={recipeName}
          onChange={(e) => setName(e.target.value)}
        >
          {RECIPES.filter((r) => r.name !== 'instrument').map((r) => (
            <option key={r.name} value={r.name}>
              {r.title}
            </option>
          ))}
        </select>
        <Button disabled={!real.length || !!work} onClick={() => void go()}>
          Run
        </Button>
      </div>
      {recipe && <p className="soft mt-2 mb-1">{recipe.says}</p>}
      {recipe && (
        <details>
          <summary>Its {recipe.stages.length} stages in words</summary>
          <ol className="ps-3 mb-1">
            {recipe.stages.map((s) => (
              <li key={s.title}>
                <b>{s.title}.</b> {s.says}
                {s.cycles ? ` At most ${s.cycles} cycles, or until the largest shift is below 0.05 s.u.` : ''}
              </li>
            ))}
          </ol>
        </details>
      )}
      {log.length > 0 && (
        <ul className="stages">
          {log.map((l, i) => (
            <li key={i}>
              <span>
                {l.undone ? '◇ ' : ''}
                {l.title}
                {l.text && <span className="soft d-block">{l.text}</span>}
              </span>
              <span className="mono">{percent(l.rwp)}</span>
            </li>
          ))}
        </ul>
      )}
      <div className="d-flex flex-wrap gap-2 align-items-center mt-1">
        <button className="word" disabled={!free.size || !real.length || !!work} onClick={() => void go(ticked)}>
          Refine what is ticked
        </button>
        {patterns.length > 1 && !many && (
          <label className="soft">
            <input
              type="checkbox"
              className="form-check-input"
              checked={joint}
              onChange={(e) => setJoint(e.target.checked)}
            />{' '}
            all {patterns.length} patterns together
          </label>
        )}
        <label className="soft">
          <input
            type="checkbox"
            className="form-check-input"
            checked={place === 'server'}
            onChange={(e) => setPlace(e.target.checked ? 'server' : 'page')}
          />{' '}
          on the server
        </label>
      </div>
    </Sheet>
  );
}

export function ResultsSheet(): ReactNode {
  const { result, model, row, updateRow, state, patterns, commit } = useFit(
    'result',
    'model',
    'row',
    'updateRow',
    'state',
    'patterns',
    'commit',
  );
  const { project, perform, setProblem } = useProject('project', 'perform', 'setProblem');
  const picker = useRef<HTMLInputElement>(null),
    placing = useRef(0);
  const navigate = useNavigate();
  if (!result || !model || !state) return null;
  const p = result.patterns[0]!;
  const weighed = row?.weighed ?? {};
  const quantified = p.weightFractions.some((w) => w !== undefined) && result.phases.length > 1;
  const data = state.patterns.map((id) => patterns.find((x) => x.id === id)!.file.pattern);
  const cif = async (): Promise<void> => {
    const text = await perform('Writing the CIF', () =>
      run('fitCif', { model, result, patterns: data, date: new Date().toISOString() }),
    );
    if (text) saveFile(text, `${project.name}.cif`, 'chemical/x-cif');
  };
  const toSolve = async (index: number): Promise<void> => {
    const phase = model.phases[index]!;
    const raw = await perform('Taking the intensities out', () =>
      run('extract', { model, phase: index, pattern: data[0]! }),
    );
    if (!raw) return;
    await db.data.put({ projectId: project.id, raw });
    await db.intake.delete(project.id);
    await db.solves.delete(project.id);
    await updateProject(project.id, {
      cell: phase.structure.cell,
      group: phase.structure.spaceGroup,
      experiment: { ...project.experiment, wavelength: model.patterns[0]!.instrument.lines[0]!.wavelength },
    });
    void navigate(`/projects/${project.id}/intake`);
  };
  /** Moves, turns and twists a molecule until the extracted intensities agree; the best goes on as the phase. */
  const place = async (file: File): Promise<void> => {
    const index = placing.current,
      phase = model.phases[index]!;
    try {
      const molecule = (await run('recognise', { text: await file.text(), fileName: file.name }).result).find(
        (r) => r.structure,
      )?.structure;
      if (!molecule) {
        setProblem(`${file.name} holds no atom sites.`);
        return;
      }
      const done = await perform('Placing the molecule', (tell) =>
        run(
          'place',
          { model, phase: index, pattern: data[0]!, molecule, seed: 1, seconds: 40 },
          (r: { steps: number; best: number; torsions: number }) =>
            tell(`${r.steps} trials, ${r.torsions} free torsions, disagreement ${(100 * r.best).toFixed(1)} %`),
        ),
      );
      if (!done) return;
      const { extraction: _, extracted: __, ...kept } = phase;
      await commit(`Molecule placed, R ${percent(done.r, 1)} on intensities`, {
        phases: model.phases.map((p, i) => (i === index ? { ...kept, structure: done.structure } : p)),
        patterns: model.patterns.map((p) => ({ ...p, scales: p.scales.map((s, i) => (i === index ? 0 : s)) })),
      });
    } catch (e) {
      setProblem((e as Error).message);
    }
  };
  return (
    <Sheet
      title="Results"
      fold
      state={quantified ? 'Weight fractions by scale, mass and volume of the cell (Hill & Howard 1987).' : undefined}
      action={
        <span>
          <button className="word" onClick={() => saveFile(fitCsv(result), `${project.name}.csv`, 'text/csv')}>
            CSV
          </button>
          <button className="word" onClick={() => void cif()}>
            CIF
          </button>
        </span>
      }
    >
      {quantified && (
        <>
          <div className="weights" role="img" aria-label="Weight fractions">
            {result.phases.map((f, i) => {
              const w = p.weightFractions[i];
              return w && w.value > 0 ? (
                <span
                  key={f.id}
                  style={{ width: `${100 * w.value}%`, background: phaseColour(i) }}
                  title={`${f.name} ${(100 * w.value).toFixed(1)} %`}
                />
              ) : null;
            })}
          </div>
          <table>
            <thead>
              <tr>
                <th>phase</th>
                <th className="n">% by weight</th>
                {p.absolute && <th className="n">of the whole</th>}
                <th className="n">weighed</th>
                <th className="n">off by</th>
              </tr>
            </thead>
            <tbody>
              {result.phases.map((f, i) => {
                const w = p.weightFractions[i],
                  known = weighed[f.id];
                return (
                  <tr key={f.id}>
                    <td>
                      <span className="swatch" style={{ background: phaseColour(i) }} /> {f.name}
                    </td>
                    <td className="n">
                      <b>{w ? formatMeasured(100 * w.value, 100 * w.su, 1) : '–'}</b>
                    </td>
                    {p.absolute && (
                      <td className="n">
                        {p.absolute[i] ? formatMeasured(100 * p.absolute[i]!.value, 100 * p.absolute[i]!.su, 1) : '–'}
                      </td>
                    )}
                    <td className="n">
                      <input
                        className="plain-number n"
                        aria-label={`Weighed fraction of ${f.name}, %`}
                        placeholder="?"
                        defaultValue={known !== undefined ? 100 * known : ''}
                        onBlur={(e) => {
                          const v = Number(e.target.value.replace(',', '.')),
                            next = { ...weighed };
                          if (e.target.value.trim() && v >= 0 && v <= 100) next[f.id] = v / 100;
                          else delete next[f.id];
                          void updateRow({ weighed: next });
                        }}
                        onKeyDown={(e) => {
                          if (e.key === 'Enter' || e.key === 'Escape') e.currentTarget.blur();
                        }}
                      />
                    </td>
                    <td className="n">
                      {w && known !== undefined ? (
                        <>
                          {(100 * (w.value - known)).toFixed(1)}
                          <span className="soft">
                            {' '}
                            ({w.su > 0 ? `${(Math.abs(w.value - known) / w.su).toFixed(1)} s.u.` : '–'})
                          </span>
                        </>
                      ) : (
                        ''
                      )}
                    </td>
                  </tr>
                );
              })}
              {p.amorphous && (
                <tr>
                  <td>amorphous or unknown</td>
                  <td />
                  <td className="n">
                    <b>{formatMeasured(100 * p.amorphous.value, 100 * p.amorphous.su, 1)}</b>
                  </td>
                  <td />
                  <td />
                </tr>
              )}
            </tbody>
          </table>
        </>
      )}
      <table className="mt-2">
        <thead>
          <tr>
            <th>phase</th>
            <th className="n">cell / Å, °</th>
            <th className="n">size / nm</th>
            <th className="n">strain / 10⁻³</th>
            <th className="n">R_Bragg</th>
          </tr>
        </thead>
        <tbody>
          {result.phases.map((f, i) => (
            <tr key={f.id}>
              <td>
                {f.name}
                <div className="soft text-nowrap">{f.density ? `${f.density.toFixed(3)} g cm⁻³` : ''}</div>
              </td>
              <td className="n">
                {freeConstants(model.phases[i]!.structure.spaceGroup).map(({ constant }) => {
                  const k = ['a', 'b', 'c', 'alpha', 'beta', 'gamma'].indexOf(constant);
                  return (
                    <div key={constant}>
                      <span className="soft">{CONSTANT_SIGNS[constant]}</span>{' '}
                      {formatMeasured(cellParameters(f.cell)[k]!, f.cellSu[k] || undefined, 5)}
                    </div>
                  );
                })}
              </td>
              <td className="n">
                {f.size ? formatMeasured(f.size.value, f.size.su, 1) : 'large'}
                {f.sizeAcross && <div>{formatMeasured(f.sizeAcross.value, f.sizeAcross.su, 1)} across</div>}
              </td>
              <td className="n">{formatMeasured(f.strain.value, f.strain.su, 2)}</td>
              <td className="n">{percent(p.rBragg[i], 1)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="soft mt-1 mb-1">
        Rwp {percent(p.rwp)}, Rp {percent(p.rp)}, Rexp {percent(p.rExp)}, S {p.s.toFixed(2)}; displacement{' '}
        {formatMeasured(p.displacement.value, p.displacement.su || undefined, 3)} mm.
        {result.phases.some((f) => f.orientation)
          ? ` Orientation: ${result.phases.flatMap((f, i) => (f.orientation ? [`${f.name} [${model.phases[i]!.orientation!.axis.join(' ')}] r ${formatMeasured(f.orientation.value, f.orientation.su)}`] : [])).join('; ')}.`
          : ''}
      </p>
      {model.phases.map(
        (ph, i) =>
          ph.extraction && (
            <div key={ph.id} className="mb-2">
              <Button size="sm" className="me-2" onClick={() => void toSolve(i)}>
                Solve {ph.name} from these intensities
              </Button>
              <button
                className="word"
                onClick={() => {
                  placing.current = i;
                  picker.current?.click();
                }}
              >
                or place a molecule from a CIF
              </button>
            </div>
          ),
      )}
      <input
        ref={picker}
        type="file"
        hidden
        accept=".cif"
        data-testid="molecule-picker"
        onChange={(e) => {
          const file = e.target.files?.[0];
          e.target.value = '';
          if (file) void place(file);
        }}
      />
      <details>
        <summary>Correlations above 0.6 ({result.correlations.length})</summary>
        <table>
          <tbody>
            {result.correlations.map((c, i) => (
              <tr key={i}>
                <td>{c.between[0]}</td>
                <td>{c.between[1]}</td>
                <td className="n">{c.value.toFixed(2)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </details>
    </Sheet>
  );
}

const QUANTITIES = [
  { id: 'weight', name: 'weight fraction / %' },
  { id: 'a', name: 'a / Å' },
  { id: 'b', name: 'b / Å' },
  { id: 'c', name: 'c / Å' },
  { id: 'beta', name: 'β / °' },
  { id: 'volume', name: 'volume / Å³' },
  { id: 'size', name: 'size / nm' },
  { id: 'strain', name: 'strain / 10⁻³' },
  { id: 'rwp', name: 'Rwp / %' },
] as const;

export function SeriesSheet(): ReactNode {
  const { patterns, model, state, row, updateRow, show, own, setAt } = useFit(
    'patterns',
    'model',
    'state',
    'row',
    'updateRow',
    'show',
    'own',
    'setAt',
  );
  const { perform, place, record } = useProject('perform', 'place', 'record');
  const [quantity, setQuantity] = useState<(typeof QUANTITIES)[number]['id']>('weight');
  const kept = useRef<NonNullable<typeof row>['series']>([]);
  const steps = row?.series ?? [];
  const order = useMemo(
    () => [...patterns].sort((p, q) => (p.file.pattern.at ?? p.order) - (q.file.pattern.at ?? q.order)),
    [patterns],
  );
  if (patterns.length < 3 || !model || !state || !own) return null;
  const go = async (): Promise<void> => {
    kept.current = [];
    await updateRow({ series: [] });
    await perform('Fitting the series', (tell) =>
      run(
        'series',
        {
          model: { phases: model.phases, patterns: [own] },
          patterns: order.map((p) => p.file.pattern),
          recipe: 'quantify',
        },
        (r: {
          number: number;
          of: number;
          title: string;
          rwp?: number;
          step?: NonNullable<typeof kept.current>[number];
        }) => {
          tell(`${r.number} of ${r.of}: ${r.title}${r.rwp ? `, Rwp ${percent(r.rwp)}` : ''}`);
          if (r.step) {
            kept.current = [...(kept.current ?? []), r.step];
            void updateRow({ series: kept.current });
          }
        },
        place,
      ),
    );
    show(undefined);
  };
  const open = async (x: number): Promise<void> => {
    const s = steps.find((k) => k.at === x),
      i = patterns.findIndex((p) => p.file.pattern.name === s?.pattern);
    if (!s || i < 0) return;
    await record({
      kind: 'fit',
      title: `${s.pattern} of the series`,
      rwp: s.result.rwp,
      message: s.message,
      content: { kind: 'fit', fit: { model: s.model, patterns: [patterns[i]!.id], result: s.result } },
    });
    setAt(i);
  };
  const phases = steps[0]?.result.phases ?? [];
  const value = (s: (typeof steps)[number], i: number): { v: number; su: number } | undefined => {
    const f = s.result.phases[i],
      p = s.result.patterns[0]!;
    if (quantity === 'rwp') return i === 0 ? { v: 100 * p.rwp, su: 0 } : undefined;
    if (!f) return undefined;
    if (quantity === 'weight') {
      const w = p.weightFractions[i];
      return w && { v: 100 * w.value, su: 100 * w.su };
    }
    // What is hardly there says nothing about its cell.
    const w = p.weightFractions[i];
    if (w && w.value < 4 * w.su) return undefined;
    if (quantity === 'size') return f.size && { v: f.size.value, su: f.size.su };
    if (quantity === 'strain') return { v: f.strain.value, su: f.strain.su };
    const k = ['a', 'b', 'c', 'alpha', 'beta', 'gamma'].indexOf(quantity);
    if (k >= 0) return { v: cellParameters(f.cell)[k]!, su: f.cellSu[k]! };
    return { v: cellVolume(f.cell), su: 0 };
  };
  const csv = (): string =>
    [
      `pattern,at,Rwp,${phases.flatMap((f) => [`${f.name} weight`, 'su', 'a', 'su a', 'c', 'su c', 'size nm', 'su', 'strain', 'su']).join(',')}`,
      ...steps.map((s) =>
        [
          s.pattern,
          s.at,
          s.result.rwp,
          ...s.result.phases.flatMap((f, i) => [
            s.result.patterns[0]!.weightFractions[i]?.value ?? '',
            s.result.patterns[0]!.weightFractions[i]?.su ?? '',
            f.cell.a,
            f.cellSu[0],
            f.cell.c,
            f.cellSu[2],
            f.size?.value ?? '',
            f.size?.su ?? '',
            f.strain.value,
            f.strain.su,
          ]),
        ].join(','),
      ),
    ].join('\n');
  return (
    <Sheet
      title="Series"
      fold
      state={`${patterns.length} patterns, fitted one after another, each from the one before.`}
      action={
        steps.length ? (
          <button className="word" onClick={() => saveFile(csv(), 'series.csv', 'text/csv')}>
            CSV
          </button>
        ) : undefined
      }
    >
      <Button size="sm" variant="outline-primary" disabled={!model.phases.length} onClick={() => void go()}>
        Fit the series
      </Button>
      {!model.phases.length && <span className="soft ms-2">Add the phases first.</span>}
      {steps.length > 0 && (
        <>
          <div className="d-flex align-items-center gap-2 mt-2">
            <label className="soft" htmlFor="series-quantity">
              along the series
            </label>
            <select
              id="series-quantity"
              className="form-select form-select-sm"
              value={quantity}
              onChange={(e) => setQuantity(e.target.value as never)}
            >
              {QUANTITIES.map((q) => (
                <option key={q.id} value={q.id}>
                  {q.name}
                </option>
              ))}
            </select>
          </div>
          <SeriesChart
            steps={steps}
            names={quantity === 'rwp' ? ['Rwp'] : phases.map((f) => f.name)}
            value={value}
            open={(x) => void open(x)}
          />
          <p className="soft mb-0">Click a point to open its pattern with its fit.</p>
        </>
      )}
    </Sheet>
  );
}

function SeriesChart({
  steps,
  names,
  value,
  open,
}: {
  open(at: number): void;
  steps: NonNullable<NonNullable<ReturnType<typeof useFit>['row']>['series']>;
  names: string[];
  value(s: (typeof steps)[number], i: number): { v: number; su: number } | undefined;
}): ReactNode {
  const width = 370,
    height = 190,
    left = 52,
    bottom = 22;
  const points = names.map((_, i) =>
    steps.flatMap((s) => {
      const p = value(s, i);
      return p && Number.isFinite(p.v) ? [{ x: s.at, ...p }] : [];
    }),
  );
  const all = points.flat();
  if (!all.length) return <p className="soft">Nothing to draw.</p>;
  const x0 = Math.min(...all.map((p) => p.x)),
    x1 = Math.max(...all.map((p) => p.x)),
    lo = Math.min(...all.map((p) => p.v - p.su)),
    hi = Math.max(...all.map((p) => p.v + p.su));
  const X = (x: number): number => left + ((x - x0) / (x1 - x0 || 1)) * (width - left - 10),
    Y = (v: number): number => 8 + ((hi - v) / (hi - lo || 1)) * (height - bottom - 14);
  const digits = Math.max(0, Math.min(5, 2 - Math.floor(Math.log10(hi - lo || 1))));
  return (
    <figure className="m-0 mt-2">
      <svg viewBox={`0 0 ${width} ${height}`} width="100%" role="img" aria-label="Chart along the series">
        {[lo, (lo + hi) / 2, hi].map((v) => (
          <g key={v}>
            <line x1={left} x2={width - 10} y1={Y(v)} y2={Y(v)} stroke="var(--line)" />
            <text x={left - 5} y={Y(v) + 4} fontSize="10" textAnchor="end" fill="var(--soft)">
              {v.toFixed(digits).replace(/^-(0(?:\.0*)?)$/, '$1')}
            </text>
          </g>
        ))}
        {[x0, (x0 + x1) / 2, x1].map((v) => (
          <text key={v} x={X(v)} y={height - 6} fontSize="10" textAnchor="middle" fill="var(--soft)">
            {Number(v.toFixed(1))}
          </text>
        ))}
        {points.map((list, i) => (
          <g key={names[i]} stroke={phaseColour(i)} fill={phaseColour(i)}>
            <polyline points={list.map((p) => `${X(p.x)},${Y(p.v)}`).join(' ')} fill="none" strokeWidth="1.5" />
            {list.map((p) => (
              <g key={p.x}>
                <line x1={X(p.x)} x2={X(p.x)} y1={Y(p.v - p.su)} y2={Y(p.v + p.su)} />
                <circle
                  cx={X(p.x)}
                  cy={Y(p.v)}
                  r="3"
                  role="button"
                  tabIndex={0}
                  style={{ cursor: 'pointer' }}
                  onClick={() => open(p.x)}
                  onKeyDown={(e) => {
                    if (e.key === 'Enter') open(p.x);
                  }}
                >
                  <title>{`${names[i]} at ${p.x}: ${formatMeasured(p.v, p.su || undefined)}`}</title>
                </circle>
              </g>
            ))}
          </g>
        ))}
      </svg>
      <figcaption className="soft">
        {names.map((n, i) => (
          <span key={n} className="me-3">
            <span className="swatch" style={{ background: phaseColour(i) }} /> {n}
          </span>
        ))}
      </figcaption>
    </figure>
  );
}
