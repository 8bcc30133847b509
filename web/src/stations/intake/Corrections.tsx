/** Scaling, absorption, rings, batches, further data sets: the second part of judging data. */
import { useProject, useProjectStore } from '../../store/use-project.tsx';
import { useQuery } from '@tanstack/react-query';
import { useRef, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { cellParameters, cellVolume } from '@nagare/core/crystal/cell';
import type { RawReflections } from '@nagare/core/crystal/reflections';
import type { SetComparison } from '@nagare/core/data/diagnostics';
import { absorptionCoefficient } from '@nagare/core/scattering/form-factor';
import { run } from '../../engine/engine.ts';
import { textOf } from '../../engine/read-text.ts';
import { NumberField, percent, Sheet } from '../../frame/parts.tsx';
import { db, type Correction } from '../../store/db.ts';
import { keepRow } from '../../store/keeping.ts';
import { openState } from '../../store/project-state.ts';
import { updateProject } from '../../store/projects.ts';

import { absorptionItems, recordOfCorrection, whyNotByFaces } from './absorption-words.ts';
import { mergeFor } from './intake-work.ts';

/** Further data set that was read and waits to be taken in. */
interface Waiting {
  name: string;
  raw: RawReflections;
  comparison: SetComparison;
}

/** The correction with the moment it was made; what is merged from it is known by that. */
const stamped = (c: Correction): Correction => ({ ...c, stamp: Date.now() });

export function CorrectionsSheet(): ReactNode {
  const store = useProjectStore();
  const { project, intake, work, perform, setProblem } = useProject(
    'project',
    'intake',
    'work',
    'perform',
    'setProblem',
  );
  const { group, cell, experiment } = project;
  const raw = intake?.raw,
    c = intake?.correction;
  const source = intake?.uncorrected ?? raw;
  // What was corrected is what the boxes say; leaving out a ring alone is no correction.
  const did = c?.parameters || c?.wish.faces ? c.wish : undefined;
  const [batches, setBatches] = useState(did?.batches ?? true);
  const [decay, setDecay] = useState(did?.decay ?? false);
  const [byFaces, setByFaces] = useState(did ? !!did.faces : true);
  const [directions, setDirections] = useState(did ? did.harmonics > 0 : !experiment.faces);
  const [order, setOrder] = useState(did?.harmonics || 6);
  const [without, setWithout] = useState<ReadonlySet<number>>(new Set(c?.wish.without ?? []));
  const [waiting, setWaiting] = useState<Waiting | undefined>();
  const file = useRef<HTMLInputElement>(null);
  const diagnosis = useQuery({
    queryKey: ['diagnose', project.id, group?.hall, raw?.count, c?.stamp ?? 0],
    enabled: !!raw && !!cell && !!group && !!intake?.merge,
    staleTime: Infinity,
    gcTime: 300_000,
    queryFn: () => run('diagnose', { raw: raw!, cell: cell!, group: group! }).result,
  });
  if (!intake?.merge || !raw || !source || !cell || !group || raw.merged) return null;
  const many = new Set(source.batch ?? []).size > 1;
  const aimed = !!source.beams;
  const mu =
    experiment.formula && experiment.wavelength
      ? absorptionCoefficient(experiment.formula, experiment.z ?? 4, cellVolume(cell), experiment.wavelength)
      : 0;
  const placed = aimed && mu > 0 ? experiment.faces : undefined;
  const d = diagnosis.data;
  const readings = c?.batches.length ? c.batches : (d?.batches ?? []);
  const keep = async (
    next: RawReflections,
    correction: Correction | undefined,
    uncorrected: RawReflections | undefined,
  ): Promise<void> => {
    const { correction: _c, uncorrected: _u, ...rest } = intake;
    const row = { ...rest, raw: next, ...(correction ? { correction } : {}), ...(uncorrected ? { uncorrected } : {}) };
    await keepRow(db, db.intake, row);
    await mergeFor(store, group, cell, row);
  };
  // On the record as it stands when the work is done: it may have been edited meanwhile.
  const record = (said: ReturnType<typeof absorptionItems>): Promise<number> =>
    updateProject(project.id, { experiment: recordOfCorrection(openState(store).project.experiment, c, said) });
  const apply = async (): Promise<void> => {
    const wish = {
      batches: batches && many,
      decay: decay && many,
      harmonics: directions && aimed ? order : 0,
      without: [...without],
      ...(byFaces && placed ? { faces: { faces: [...placed], mu } } : {}),
    };
    if (!wish.batches && !wish.decay && !wish.harmonics && !wish.without.length && !wish.faces) {
      setProblem(
        'Nothing to correct: these data have one batch only, and do not say from where each reflection was measured.',
      );
      return;
    }
    const done = await perform('Scaling', (tell) =>
      run('scale', { raw: source, cell, group, wish }, (share) => tell(`${Math.round(100 * share)} % of the ways`)),
    );
    if (!done) return;
    const { raw: next, before, after, ...figures } = done;
    await keep(next, stamped({ stamp: 0, wish, rIntBefore: before.rInt, rIntAfter: after.rInt, ...figures }), source);
    const said = absorptionItems(wish, figures, mu, experiment.size?.[2]);
    await record(said);
  };
  const takeBack = async (): Promise<void> => {
    await keep(intake.uncorrected ?? raw, undefined, undefined);
    await record([]);
  };
  const take = async (picked: File): Promise<void> => {
    const found = await perform(`Reading ${picked.name}`, () => ({
      result: textOf(picked).then((text) => run('recognise', { text, fileName: picked.name }).result),
      cancel: () => undefined,
    }));
    const entry = found?.find((f) => f.raw);
    if (!found) return;
    if (!entry?.raw) {
      setProblem(`${picked.name} holds no reflections.`);
      return;
    }
    let other = entry.raw;
    if (
      entry.cell &&
      !cellParameters(entry.cell).every((x, i) => Math.abs(x - cellParameters(cell)[i]!) < (i < 3 ? 0.02 * x : 1))
    ) {
      // A set in the axes of the first file comes over the same way.
      const lattice = intake.analysis?.lattice;
      if (lattice?.changed) other = await run('axes', { raw: other, p: lattice.p }).result;
      else {
        setProblem(
          `The cell of ${picked.name} (${cellParameters(entry.cell)
            .map((x) => x.toFixed(2))
            .join(' ')}) is not that of these data. Index it alike first.`,
        );
        return;
      }
    }
    const comparison = await perform('Comparing the data sets', () => run('compareSets', { raw, cell, group, other }));
    if (comparison) setWaiting({ name: picked.name, raw: other, comparison });
  };
  const sofar: Correction = c ?? {
    stamp: 0,
    wish: { batches: false, decay: false, harmonics: 0 },
    rIntBefore: intake.merge.statistics.rInt,
    rIntAfter: intake.merge.statistics.rInt,
    parameters: 0,
    used: 0,
    batches: [],
  };
  const leaveOut = async (ring: { d: number; width: number }): Promise<void> => {
    const next = await perform('Leaving out the ring', () => run('rework', { raw, cell, rings: [ring] }));
    if (next) await keep(next, stamped({ ...sofar, rings: [...(c?.rings ?? []), ring.d] }), source);
  };
  const takeIn = async (more: Waiting): Promise<void> => {
    const next = await perform('Joining the data sets', () => run('rework', { raw, cell, other: more.raw }));
    const plain =
      next &&
      (raw === source
        ? next
        : await perform('Joining the data sets', () => run('rework', { raw: source, cell, other: more.raw })));
    if (next && plain) await keep(next, stamped({ ...sofar, batches: [] }), plain);
    setWaiting(undefined);
  };
  const bad = readings.filter((b) => b.spoils);
  const sentence = c
    ? `Corrected: R_int ${percent(c.rIntBefore)} before, ${percent(c.rIntAfter)} after, ${c.parameters} parameters from ${c.used} observations.`
    : many || aimed
      ? `${many ? `${new Set(source.batch).size} batches` : 'One batch'}${aimed ? ', beam directions known' : ''}; not corrected yet.`
      : 'One batch, and no beam directions: nothing to scale by.';
  return (
    <Sheet
      title="Scale and absorption"
      fold
      state={sentence}
      action={
        c ? (
          <button className="word" disabled={!!work} onClick={() => void takeBack()}>
            Take it back
          </button>
        ) : undefined
      }
    >
      <div className="d-flex flex-wrap gap-3 mb-2">
        <label>
          <input
            type="checkbox"
            checked={batches && many}
            disabled={!many}
            onChange={(e) => setBatches(e.target.checked)}
          />{' '}
          scale each batch
        </label>
        <label>
          <input
            type="checkbox"
            checked={decay && many}
            disabled={!many}
            onChange={(e) => setDecay(e.target.checked)}
          />{' '}
          by resolution too
        </label>
        <label title={aimed ? '' : 'The file gives no angles with an orientation matrix.'}>
          <input
            type="checkbox"
            checked={directions && aimed}
            disabled={!aimed}
            onChange={(e) => setDirections(e.target.checked)}
          />{' '}
          absorption by direction
        </label>
        <label title={placed ? '' : whyNotByFaces(aimed, mu, !!experiment.faces)}>
          <input
            type="checkbox"
            checked={byFaces && !!placed}
            disabled={!placed}
            onChange={(e) => setByFaces(e.target.checked)}
          />{' '}
          absorption by the faces
        </label>
      </div>
      {aimed && directions && (
        <div className="field">
          <label htmlFor="harmonics">Order of harmonics</label>
          <NumberField
            id="harmonics"
            value={order}
            digits={0}
            step={1}
            min={1}
            max={8}
            onChange={(v) => setOrder(Math.round(v))}
          />
        </div>
      )}
      <Button size="sm" disabled={!!work || (!many && !aimed)} onClick={() => void apply()}>
        {c ? 'Correct again' : 'Correct the data'}
      </Button>
      {c?.transmission && (
        <p className="soft mt-1 mb-0">
          Transmission by the faces from {c.transmission[0].toFixed(3)} to {c.transmission[1].toFixed(3)}.
        </p>
      )}
      {c?.directionRange && (
        <p className="soft mt-1 mb-0">
          Correction by direction from {c.directionRange[0].toFixed(2)} to {c.directionRange[1].toFixed(2)}.
        </p>
      )}
      {readings.length > 1 && (
        <details open={bad.length > 0}>
          <summary>
            Batches
            {bad.length
              ? `: ${bad.map((b) => b.batch).join(', ')} ${bad.length > 1 ? 'spoil' : 'spoils'} the merge`
              : ''}
          </summary>
          <table>
            <thead>
              <tr>
                <th>take in</th>
                <th className="n">batch</th>
                <th className="n">obs.</th>
                <th className="n">scale</th>
                <th className="n">R before</th>
                <th className="n">R now</th>
                <td></td>
              </tr>
            </thead>
            <tbody>
              {readings.map((b) => (
                <tr key={b.batch}>
                  <td>
                    <input
                      type="checkbox"
                      aria-label={`Batch ${b.batch}`}
                      checked={!without.has(b.batch)}
                      onChange={() => {
                        const next = new Set(without);
                        if (next.has(b.batch)) next.delete(b.batch);
                        else next.add(b.batch);
                        setWithout(next);
                      }}
                    />
                  </td>
                  <td className="n">{b.batch}</td>
                  <td className="n">{b.observations}</td>
                  <td className="n">{c ? b.scale.toFixed(3) : '–'}</td>
                  <td className="n">{percent(b.rBefore, 1)}</td>
                  <td className={`n${b.spoils ? ' off' : ''}`}>{percent(b.r, 1)}</td>
                  <td>{b.spoils ? 'stands out' : ''}</td>
                </tr>
              ))}
            </tbody>
          </table>
          {[...without].join() !== (c?.wish.without ?? []).join() && (
            <p className="mb-0">The choice counts when the data are corrected again.</p>
          )}
        </details>
      )}
      {d && (
        <details>
          <summary>Directions and rings</summary>
          <table>
            <thead>
              <tr>
                <th>towards</th>
                <th className="n">refl.</th>
                <th className="n">mean I/σ</th>
                <th className="n">I/σ above 2 to, Å</th>
              </tr>
            </thead>
            <tbody>
              {d.anisotropy.directions.map((x) => (
                <tr key={x.name}>
                  <td>{x.name}</td>
                  <td className="n">{x.reflections}</td>
                  <td className="n">{x.meanIOverSigma.toFixed(1)}</td>
                  <td className="n">{x.limit.toFixed(2)}</td>
                </tr>
              ))}
            </tbody>
          </table>
          <p className="mb-1">
            {d.anisotropy.spread > 3 * d.anisotropy.su
              ? `Diffraction is anisotropic: B differs by ${d.anisotropy.spread.toFixed(1)}(${d.anisotropy.su.toFixed(1)}) Å² between directions.`
              : `No clear anisotropy: B differs by ${d.anisotropy.spread.toFixed(1)} Å² with an s.u. of ${d.anisotropy.su.toFixed(1)}.`}
          </p>
          {d.rings.length ? (
            d.rings.map((r) => (
              <p key={r.d} className="mb-1">
                Ring at {r.d.toFixed(2)} Å{r.ice ? ', where ice diffracts' : ''}: {percent(r.share, 0)} of{' '}
                {r.observations} observations stand clear of their equivalents.{' '}
                <button className="word" disabled={!!work} onClick={() => void leaveOut(r)}>
                  Leave it out
                </button>
              </p>
            ))
          ) : (
            <p className="soft mb-1">No ring stands out.</p>
          )}
          {d.superstructure[0] && <p className="mb-0">Superstructure: {d.superstructure[0].words}.</p>}
        </details>
      )}
      <div className="mt-2">
        <input
          ref={file}
          type="file"
          hidden
          data-testid="more-data"
          onChange={(e) => {
            const f = e.target.files?.[0];
            e.target.value = '';
            if (f) void take(f);
          }}
        />
        <button className="word" disabled={!!work} onClick={() => file.current?.click()}>
          Add another data set
        </button>
        {waiting && (
          <div className="detail">
            <p className="mb-1">
              <b>{waiting.name}</b>: {waiting.comparison.common} reflections in common, scale{' '}
              {waiting.comparison.scale.toFixed(3)}, R {percent(waiting.comparison.r, 1)}, correlation{' '}
              {waiting.comparison.correlation.toFixed(4)}.
              {waiting.comparison.correlation < 0.9
                ? ' They do not go together: another crystal, or indexed another way.'
                : ''}
            </p>
            <button className="word" disabled={!!work} onClick={() => void takeIn(waiting)}>
              Take it in, as batches of its own
            </button>
            <button className="word" onClick={() => setWaiting(undefined)}>
              Leave it
            </button>
          </div>
        )}
      </div>
    </Sheet>
  );
}
