/** What came out of a fit: shares, cells, sizes, agreement; and where an extraction goes on from here. */
import { useRef, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { cellParameters } from '@nagare/core/crystal/cell';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import { CONSTANT_SIGNS, freeConstants } from '@nagare/core/powder/model';
import { fitCsv } from '@nagare/core/publish/pattern-cif';
import { run } from '../../engine/engine.ts';
import { textOf } from '../../engine/read-text.ts';
import { percent, Sheet } from '../../frame/parts.tsx';
import { db } from '../../store/db.ts';
import { keepRow } from '../../store/keeping.ts';
import { saveFile, updateProject } from '../../store/projects.ts';
import { useProject } from '../../store/use-project.tsx';
import { phaseColour } from './colours.ts';
import { PhaseDoubts } from './PhaseDoubts.tsx';
import { useFit } from './use-fit.tsx';

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
    await keepRow(db, db.data, { projectId: project.id, raw });
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
      const molecule = (await run('recognise', { text: await textOf(file), fileName: file.name }).result).find(
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
      <table className="mt-2 close">
        <thead>
          <tr>
            <th>phase</th>
            <th className="n">cell, Å, °</th>
            <th className="n">size, nm</th>
            <th className="n">strain, 10⁻³</th>
            <th className="n">
              R<sub>Bragg</sub>
            </th>
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
      <PhaseDoubts model={model} result={result} patterns={data} />
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
