/** Residual density as evidence: maxima and minima with a reading of each, element tests, kinds of map, a section. */
import { selectedSites, atomsOfSites } from '../../store/selection.ts';
import { useDeferredValue, useMemo, useState, type ReactNode } from 'react';
import { metricTensor } from '@nagare/core/crystal/cell';
import { snapToSymmetry } from '@nagare/core/crystal/space-group';
import { readPeaks } from '@nagare/core/maps/peak-reading';
import type { ElementReading } from '@nagare/core/settle/elements';
import { decimal } from '@nagare/core/math/decimal';
import { run } from '../../engine/engine.ts';
import { Sheet } from '../../frame/parts.tsx';
import { useProject, useEdit } from '../../store/use-project.tsx';
import { changeElement, mergePeaks, promotePeaks } from './edits.ts';
import { useExperiment } from './use-experiment.ts';

const KINDS = [
  ['difference', 'Fo − Fc'],
  ['doubled', '2Fo − Fc'],
  ['observed', 'Fo'],
  ['deformation', 'deformation'],
] as const;

/** Maxima listed at first, and when all are asked for. */
const FIRST_PEAKS = 5,
  MOST_PEAKS = 14;

export function DensitySheet(): ReactNode {
  const {
    head,
    result,
    setProblem,
    work,
    perform,
    peaks: chosen,
    setPeaks: setChosen,
    mapKind,
    setMapKind,
    setPane,
    pane,
    selection,
    select,
  } = useProject(
    'head',
    'result',
    'setProblem',
    'work',
    'perform',
    'peaks',
    'setPeaks',
    'mapKind',
    'setMapKind',
    'setPane',
    'pane',
    'selection',
    'select',
  );
  const edit = useEdit();
  const input = useExperiment();
  const s = head!.structure!;
  const map = result?.markId === head?.id ? result?.map : undefined;
  const [all, setAll] = useState(false);
  const [tests, setTests] = useState<{ markId: string; readings: ElementReading[] } | undefined>();
  // What each peak is near is worked out after the rest of a new mark has been drawn.
  const known = useDeferredValue(useMemo(() => ({ map, s }), [map, s]));
  const readings = useMemo(() => (known.map ? readPeaks(known.s, known.map.peaks, known.map.sigma) : []), [known]);
  const holes = useMemo(() => (known.map ? readPeaks(known.s, known.map.holes, known.map.sigma, -1) : []), [known]);
  if (!map) return null;
  const toggle = (name: string): void =>
    setChosen(chosen.includes(name) ? chosen.filter((x) => x !== name) : [...chosen, name]);
  const apply = (change: ReturnType<typeof promotePeaks>): void => {
    if (typeof change === 'string') setProblem(change);
    else {
      setChosen([]);
      void edit(change.structure, change.title);
    }
  };
  const picked = map.peaks.filter((p) => chosen.includes(p.name));
  const shownTests = tests?.markId === head!.id ? tests.readings : undefined;
  return (
    <Sheet
      title="Residual density"
      fold
      state={
        <>
          largest {map.peaks[0]?.height.toFixed(2) ?? '–'} and {map.holes[0] ? decimal(map.holes[0].height, 2) : '–'} e
          Å⁻³, r.m.s. {map.sigma.toFixed(3)}
        </>
      }
    >
      <div className="mb-2 d-flex flex-wrap align-items-center gap-1">
        <span className="soft">Map</span>
        {KINDS.filter(([k]) => k !== 'deformation' || head!.treatment?.aspherical).map(([k, name]) => (
          <button key={k} className="word" aria-pressed={mapKind === k} onClick={() => setMapKind(k)}>
            {name}
          </button>
        ))}
        <span className="flex-grow-1" />
        <button
          className="word"
          aria-pressed={pane === 'section'}
          title="A flat section through the selected atoms, beside the crystal"
          onClick={() => setPane(pane === 'section' ? 'crystal' : 'section')}
        >
          Section
        </button>
      </div>
      <table>
        <thead>
          <tr>
            <td></td>
            <th>peak</th>
            <th className="n">e Å⁻³</th>
            <th>nearest, Å</th>
            <th>reading</th>
          </tr>
        </thead>
        <tbody>
          {map.peaks.slice(0, all ? MOST_PEAKS : FIRST_PEAKS).map((p, i) => (
            <tr
              key={p.name}
              className={`pick${chosen.includes(p.name) ? ' chosen' : ''}`}
              onClick={() => toggle(p.name)}
            >
              <td>
                <input
                  type="checkbox"
                  aria-label={`Choose ${p.name}`}
                  checked={chosen.includes(p.name)}
                  onChange={() => toggle(p.name)}
                  onClick={(e) => e.stopPropagation()}
                />
              </td>
              <td>{p.name}</td>
              <td className="n">{p.height.toFixed(2)}</td>
              <td className="mono">
                {p.near
                  .slice(0, 2)
                  .map((n) => `${n.label} ${n.distance.toFixed(2)}`)
                  .join(', ')}
              </td>
              <td className={readings[i]?.kind === 'noise' ? 'soft' : ''}>{readings[i]?.text}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {map.peaks.length > FIRST_PEAKS && (
        <button className="word" aria-expanded={all} onClick={() => setAll(!all)}>
          {all ? `The highest ${FIRST_PEAKS}` : `All ${Math.min(MOST_PEAKS, map.peaks.length)}`}
        </button>
      )}
      <div className="mt-2">
        {chosen.length ? 'Make ' : <span className="soft">Choose peaks to make them </span>}
        {['H', 'C', 'N', 'O', 'F', 'Cl'].map((e) => (
          <button
            key={e}
            className="word"
            disabled={!chosen.length || !!work}
            onClick={() => apply(promotePeaks(s, picked, e))}
          >
            {e}
          </button>
        ))}
        {picked.length === 2 && (
          <button
            className="word"
            onClick={() =>
              apply(mergePeaks(s, picked, 'C', (x) => snapToSymmetry(s.spaceGroup, metricTensor(s.cell), x, 0.2)))
            }
          >
            one C between the two
          </button>
        )}
      </div>
      <details>
        <summary>Minima</summary>
        <table>
          <tbody>
            {map.holes.slice(0, 8).map((p, i) => (
              <tr key={p.name}>
                <td>{p.name}</td>
                <td className="n">{p.height.toFixed(2)}</td>
                <td className="mono">
                  {p.near
                    .slice(0, 2)
                    .map((n) => `${n.label} ${n.distance.toFixed(2)}`)
                    .join(', ')}
                </td>
                <td>{holes[i]?.text}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </details>
      {input && (
        <details>
          <summary>Elements by their electrons</summary>
          <p className="soft mb-1">
            Occupancies of {selection.length ? 'the selected' : 'suspicious'} sites are refined freely; occupancy times
            the nuclear charge says which element fits.
          </p>
          <button
            className="word"
            disabled={!!work}
            onClick={() =>
              void perform('Testing elements', (tell) =>
                run(
                  'elements',
                  { ...input, ...(selection.length ? { sites: selectedSites(s, selection) } : {}) },
                  tell,
                ),
              ).then((r) => {
                if (r) setTests({ markId: head!.id, readings: r.readings });
              })
            }
          >
            Test
          </button>
          {shownTests && (
            <table>
              <thead>
                <tr>
                  <th>site</th>
                  <th className="n">electrons</th>
                  <th>fits</th>
                  <td></td>
                </tr>
              </thead>
              <tbody>
                {[...shownTests]
                  .sort((p, q) => Number(p.fits.includes(p.element)) - Number(q.fits.includes(q.element)))
                  .map((r) => (
                    <tr key={r.site}>
                      <td>
                        <button className="word" onClick={() => select(atomsOfSites(s, [r.site]))}>
                          {r.label}
                        </button>
                      </td>
                      <td className="n">
                        {r.electrons.toFixed(2)} ± {(r.su * (r.electrons / Math.max(0.01, r.occupancy))).toFixed(2)}
                      </td>
                      <td className={r.fits.includes(r.element) ? '' : 'off'}>{r.fits.join(', ')}</td>
                      <td>
                        {!r.fits.includes(r.element) && (
                          <button className="word" onClick={() => apply(changeElement(s, [r.site], r.fits[0]!))}>
                            make it {r.fits[0]}
                          </button>
                        )}
                      </td>
                    </tr>
                  ))}
              </tbody>
            </table>
          )}
        </details>
      )}
    </Sheet>
  );
}
