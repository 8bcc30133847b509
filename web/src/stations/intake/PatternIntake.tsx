/** Intake of powder patterns: what was read, and the instrument, asked once and remembered. */
import { useLiveQuery } from 'dexie-react-hooks';
import { useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import { USUAL_INSTRUMENT, type Instrument } from '@nagare/core/crystal/pattern';
import { instrumentText } from '@nagare/core/formats/pattern-file';
import { withAxis, type Axis } from '@nagare/core/formats/pattern-columns';
import { patternSentence } from '@nagare/core/formats/recognise';
import { newPatternModel, newPhase } from '@nagare/core/powder/model';
import type { RunReport } from '@nagare/core/powder/recipes';
import { run } from '../../engine/engine.ts';
import { useDrop } from '../../frame/DropEverywhere.tsx';
import { NumberField, percent, Sheet } from '../../frame/parts.tsx';
import { db, type PatternRow } from '../../store/db.ts';
import { rememberInstrument, SPECTRA } from '../../store/powder.ts';
import { saveFile } from '../../store/projects.ts';
import { useProject } from '../../store/use-project.tsx';
import { fetchEntry } from '../fit/ShelfDialog.tsx';
import { useFit } from '../fit/use-fit.tsx';

const STANDARDS = ['silicon', 'corundum', 'ceria', 'zincite', 'rutile', 'halite', 'quartz'];

export function PatternIntakeDesk(): ReactNode {
  const { project } = useProject('project');
  const { patterns, row, at, setAt } = useFit('patterns', 'row', 'at', 'setAt');
  const { pick } = useDrop();
  const navigate = useNavigate();
  if (!row) return null;
  return (
    <>
      <Sheet
        title="Patterns"
        state={
          patterns.length === 1
            ? `${patterns[0]!.fileName}: ${patternSentence(patterns[0]!.file)}`
            : `${patterns.length} patterns.`
        }
        action={
          <button className="word" onClick={pick}>
            Add files
          </button>
        }
      >
        {patterns.length > 1 && (
          <div className="short-list">
            <table>
              <tbody>
                {patterns.map((p, i) => (
                  <tr key={p.id} className={`pick${i === at ? ' chosen' : ''}`} onClick={() => setAt(i)}>
                    <td>{p.file.pattern.name}</td>
                    <td className="n">{p.file.pattern.twoTheta.length} points</td>
                    <td className="n">{p.file.pattern.at !== undefined ? `${p.file.pattern.at} K` : ''}</td>
                    <td className="n">
                      <button
                        className="word off"
                        aria-label={`Remove ${p.file.pattern.name}`}
                        onClick={(e) => {
                          e.stopPropagation();
                          void db.patterns.delete(p.id);
                        }}
                      >
                        ×
                      </button>
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </div>
        )}
        {patterns[at] && <AxisChoice row={patterns[at]} wavelength={row.instrument.lines[0]!.wavelength} />}
        <Button className="mt-2" onClick={() => void navigate(`/projects/${project.id}/fit`)}>
          Go on to Fit
        </Button>
      </Sheet>
      <InstrumentSheet key={JSON.stringify(row.instrument)} />
      <CalibrateSheet />
    </>
  );
}

function AxisChoice({ row, wavelength }: { row: PatternRow; wavelength: number }): ReactNode {
  const { setProblem } = useProject('setProblem');
  const change = (to: Axis): void => {
    try {
      const pattern = withAxis(row.file.pattern, row.file.axis, to, wavelength);
      void db.patterns.update(row.id, { file: { ...row.file, axis: to, pattern } });
    } catch (e) {
      setProblem((e as Error).message);
    }
  };
  return (
    <div className="d-flex align-items-center gap-2 mt-1">
      <span className="soft">first column is</span>
      <span className="segments">
        {(['2θ', 'd', 'Q'] as const).map((a) => (
          <button key={a} className="word" aria-pressed={row.file.axis === a} onClick={() => change(a)}>
            {a}
          </button>
        ))}
      </span>
    </div>
  );
}

function InstrumentSheet(): ReactNode {
  const { row, updateRow, model, own, change } = useFit('row', 'updateRow', 'model', 'own', 'change');
  const known = useLiveQuery(() => db.instruments.toArray(), []) ?? [];
  const [draft, setDraft] = useState<Instrument>(row!.instrument);
  const spectrum = SPECTRA.find(
    (s) =>
      s.lines.length === draft.lines.length &&
      s.lines.every((l, i) => Math.abs(l.wavelength - draft.lines[i]!.wavelength) < 1e-5),
  );
  const use = async (i: Instrument): Promise<void> => {
    await rememberInstrument(i);
    await updateRow({ instrument: i, instrumentKnown: true });
    // A fit that has begun goes on with the new instrument.
    if (model && own && model.phases.length)
      change('Instrument changed', { ...model, patterns: model.patterns.map((p) => ({ ...p, instrument: i })) });
  };
  const changed = JSON.stringify(draft) !== JSON.stringify(row!.instrument);
  return (
    <Sheet
      title="Instrument"
      state={
        row!.instrumentKnown
          ? `${row!.instrument.name}${row!.instrument.calibrated ? `, calibrated with ${row!.instrument.calibrated}` : ', not calibrated: sizes are lower limits'}.`
          : 'Asked once and remembered in this browser. Until then a usual laboratory diffractometer is assumed.'
      }
      action={
        <button
          className="word"
          onClick={() =>
            saveFile(
              instrumentText(row!.instrument),
              `${row!.instrument.name.replace(/\W+/g, '-').toLowerCase()}.json`,
              'application/json',
            )
          }
        >
          Save as a file
        </button>
      }
    >
      {known.length > 0 && (
        <div className="field">
          <label htmlFor="known-instrument">known</label>
          <select
            id="known-instrument"
            className="form-select form-select-sm"
            value={known.some((k) => k.name === draft.name) ? draft.name : ''}
            onChange={(e) => {
              const i = known.find((k) => k.name === e.target.value);
              if (i) void use(i);
            }}
          >
            <option value="">choose one…</option>
            {known.map((k) => (
              <option key={k.name}>{k.name}</option>
            ))}
          </select>
        </div>
      )}
      <div className="field">
        <label htmlFor="instrument-name">name</label>
        <input
          id="instrument-name"
          className="form-control form-control-sm"
          value={draft.name}
          onChange={(e) => setDraft({ ...draft, name: e.target.value })}
        />
      </div>
      <div className="field">
        <label htmlFor="spectrum">radiation</label>
        <select
          id="spectrum"
          className="form-select form-select-sm"
          value={spectrum?.name ?? ''}
          onChange={(e) => {
            const s = SPECTRA.find((x) => x.name === e.target.value);
            setDraft({ ...draft, lines: s ? s.lines : [{ wavelength: draft.lines[0]!.wavelength, weight: 1 }] });
          }}
        >
          {SPECTRA.map((s) => (
            <option key={s.name}>{s.name}</option>
          ))}
          <option value="">another wavelength</option>
        </select>
      </div>
      {!spectrum && (
        <div className="field">
          <label htmlFor="wavelength">wavelength</label>
          <NumberField
            id="wavelength"
            value={draft.lines[0]!.wavelength}
            step={0.0001}
            digits={5}
            min={0.1}
            max={5}
            unit="Å"
            onChange={(v) => setDraft({ ...draft, lines: [{ wavelength: v, weight: 1 }] })}
          />
        </div>
      )}
      <div className="field">
        <label htmlFor="geometry">geometry</label>
        <select
          id="geometry"
          className="form-select form-select-sm"
          value={draft.geometry}
          onChange={(e) => setDraft({ ...draft, geometry: e.target.value as Instrument['geometry'] })}
        >
          <option value="flat specimen">flat specimen, reflection (Bragg–Brentano)</option>
          <option value="capillary">capillary, transmission (Debye–Scherrer)</option>
        </select>
      </div>
      <div className="field">
        <label htmlFor="monochromator">monochromator</label>
        <NumberField
          id="monochromator"
          value={draft.monochromator}
          step={0.1}
          digits={1}
          min={0}
          max={90}
          unit="° 2θ; 0 for none"
          onChange={(v) => setDraft({ ...draft, monochromator: v })}
        />
      </div>
      <div className="field">
        <label htmlFor="radius">radius</label>
        <NumberField
          id="radius"
          value={draft.radius}
          step={1}
          digits={1}
          min={20}
          max={2000}
          unit="mm"
          onChange={(v) => setDraft({ ...draft, radius: v })}
        />
      </div>
      <div className="d-flex gap-2">
        <Button
          size="sm"
          disabled={!draft.name.trim() || (!changed && row!.instrumentKnown === true)}
          onClick={() => void use({ ...draft, name: draft.name.trim() })}
        >
          Use it
        </Button>
        {changed && (
          <button className="word" onClick={() => setDraft(row!.instrument)}>
            As it was
          </button>
        )}
        <button className="word" onClick={() => setDraft({ ...USUAL_INSTRUMENT, name: draft.name })}>
          The usual one
        </button>
      </div>
    </Sheet>
  );
}

/** Zero and widths from a standard's pattern. */
function CalibrateSheet(): ReactNode {
  const { row, pattern, updateRow, show } = useFit('row', 'pattern', 'updateRow', 'show');
  const { perform, setProblem } = useProject('perform', 'setProblem');
  const [standard, setStandard] = useState('silicon');
  const [said, setSaid] = useState<string | undefined>();
  if (!pattern || !row) return null;
  const go = async (): Promise<void> => {
    try {
      const entry = await fetchEntry(standard);
      const start: Instrument = {
        ...row.instrument,
        zero: 0,
        profile: {
          ...row.instrument.profile,
          sampleHeight: row.instrument.profile.sampleHeight || 0.015,
          detectorHeight: row.instrument.profile.detectorHeight || 0.015,
        },
      };
      const model = {
        phases: [newPhase('standard', entry.name, entry.structure)],
        patterns: [newPatternModel(pattern, start, 1, 6)],
      };
      const done = await perform('Calibrating', (tell) =>
        run('fit', { model, patterns: [pattern], recipe: 'instrument' }, (r: RunReport) => {
          tell(`${r.title}${r.cycle ? `: cycle ${r.cycle.cycle}, Rwp ${percent(r.cycle.rwp)}` : ''}`);
          if (r.cycle) show(r.cycle.model);
        }),
      );
      show(undefined);
      if (!done) return;
      const pm = done.model.patterns[0]!;
      if (!(done.result.s < 4)) {
        setProblem(
          `The pattern does not fit ${entry.name} (S ${done.result.s.toFixed(1)}); the instrument was left as it was. Is this the standard's pattern, and is the radiation right?`,
        );
        return;
      }
      const instrument: Instrument = {
        ...pm.instrument,
        zero: pm.zero,
        calibrated: `${entry.name.toLowerCase()} (${pattern.name})`,
      };
      await rememberInstrument(instrument);
      await updateRow({ instrument, instrumentKnown: true });
      setSaid(
        `Zero ${pm.zero.toFixed(4)}°, Rwp ${percent(done.result.rwp)}, S ${done.result.s.toFixed(2)}. Remembered as “${instrument.name}”.`,
      );
    } catch (e) {
      setProblem((e as Error).message);
    }
  };
  return (
    <Sheet
      title="Calibrate with a standard"
      fold
      state={said ?? 'If this pattern is of a standard, its peaks tell the zero and the widths of the instrument.'}
    >
      <div className="d-flex gap-2">
        <select
          className="form-select form-select-sm"
          aria-label="Standard"
          value={standard}
          onChange={(e) => setStandard(e.target.value)}
        >
          {STANDARDS.map((s) => (
            <option key={s}>{s}</option>
          ))}
        </select>
        <Button size="sm" variant="outline-primary" onClick={() => void go()}>
          Calibrate
        </Button>
      </div>
    </Sheet>
  );
}
