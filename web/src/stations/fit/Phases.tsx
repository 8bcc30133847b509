/** The phases of a fit, and where they come from. */
import { nameOfMark } from '../../store/marks.ts';
import { useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { prettySymbol } from '@nagare/core/crystal/settings';
import { cellParameters, cellVolume } from '@nagare/core/crystal/cell';
import { newId, siteMultiplicity } from '@nagare/core/crystal/structure';
import { newPhase } from '@nagare/core/powder/model';
import { formulaText } from '@nagare/core/crystal/formula';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import { shelfWarnings, smallestFormula } from '@nagare/core/shelf/entry';
import { useDrop } from '../../frame/DropEverywhere.tsx';
import { Sheet } from '../../frame/parts.tsx';
import { withoutPhase } from '../../store/powder.ts';
import { bareScene } from './picture.ts';
import { phaseColour } from './colours.ts';
import { ShelfDialog } from './ShelfDialog.tsx';
import { useFit } from './use-fit.tsx';

export function PhasesSheet(): ReactNode {
  const { model, result, commit, trial, setTrial, outside, addPhases } = useFit(
    'model',
    'result',
    'commit',
    'trial',
    'setTrial',
    'outside',
    'addPhases',
  );
  const { pick } = useDrop();
  const [shelf, setShelf] = useState(false);
  const phases = model?.phases.filter((p) => p.id !== trial?.id) ?? [];
  return (
    <Sheet
      title="Phases"
      state={
        phases.length
          ? `${phases.length} ${phases.length === 1 ? 'phase' : 'phases'} in the fit.`
          : 'None yet: take them from the shelf, from a file, or find them by peaks below.'
      }
      action={
        <span>
          <button className="word" onClick={pick}>
            From a file
          </button>
        </span>
      }
    >
      {outside && model && (
        <div className="verdict likely">
          <p className="mb-1">
            The model “{nameOfMark(outside.mark)}” ({outside.structure!.sites.length} sites in{' '}
            {prettySymbol(outside.structure!.spaceGroup.symbol)}) is not in the fit yet.
          </p>
          <Button
            size="sm"
            onClick={() => {
              // It takes the place of the phase whose intensities it was solved from.
              const empty = model.phases.find(
                (p) =>
                  p.extraction &&
                  Math.abs(cellVolume(p.structure.cell) / cellVolume(outside.structure!.cell) - 1) < 0.02,
              );
              if (!empty) {
                void addPhases(
                  [newPhase(newId(), outside.mark.name ?? 'Solved model', outside.structure!)],
                  'A model taken into the fit',
                );
                return;
              }
              const { extraction: _, extracted: __, ...kept } = empty;
              void commit('The solved model in place of extracted intensities', {
                phases: model.phases.map((p) =>
                  p.id === empty.id ? { ...kept, structure: { ...outside.structure!, cell: empty.structure.cell } } : p,
                ),
                patterns: model.patterns.map((p) => ({
                  ...p,
                  scales: p.scales.map((s, i) => (model.phases[i]!.id === empty.id ? 0 : s)),
                })),
              });
            }}
          >
            Take it into the fit
          </Button>
        </div>
      )}
      {phases.length > 0 && (
        <table className="phase-list">
          <tbody>
            {phases.map((p, i) => {
              const w = result?.patterns[0]?.weightFractions[i];
              return (
                <tr key={p.id}>
                  <td>
                    <span className="swatch" style={{ background: phaseColour(i) }} /> <b>{p.name}</b>
                    <div className="soft">
                      {p.structure.sites.length
                        ? formulaText(smallestFormula(p.structure))
                        : 'no structure: intensities from the pattern'}{' '}
                      · {prettySymbol(p.structure.spaceGroup.symbol)}
                    </div>
                    {p.structure.sites.length > 0 && (
                      <details>
                        <summary>What was read</summary>
                        <div className="d-flex gap-2">
                          <img src={bareScene(p.structure)} width="110" alt={`${p.name}, drawn`} />
                          <div className="mono">
                            {cellParameters(p.structure.cell)
                              .map((v, k) => v.toFixed(k < 3 ? 4 : 2))
                              .join(' ')}
                            <div className="soft">
                              {p.structure.sites
                                .slice(0, 8)
                                .map((x) => `${x.label} ×${siteMultiplicity(p.structure, x)}`)
                                .join(', ')}
                              {p.structure.sites.length > 8 ? ` and ${p.structure.sites.length - 8} more` : ''}
                            </div>
                            {shelfWarnings(p.structure, undefined, 0).map((t) => (
                              <div key={t} className="off">
                                ◇ {t}
                              </div>
                            ))}
                          </div>
                        </div>
                      </details>
                    )}
                  </td>
                  <td className="n">{w ? `${formatMeasured(100 * w.value, 100 * w.su, 1)} %` : ''}</td>
                  <td className="n">
                    <button
                      className="word off"
                      aria-label={`Remove ${p.name}`}
                      onClick={() => void commit(`${p.name} removed`, withoutPhase(model!, p.id))}
                    >
                      ×
                    </button>
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      )}
      <Button
        className="mt-2"
        variant={phases.length ? 'outline-primary' : 'primary'}
        size="sm"
        onClick={() => setShelf(true)}
      >
        Add from the shelf
      </Button>
      {shelf && (
        <ShelfDialog
          onClose={() => {
            setShelf(false);
            setTrial(undefined);
          }}
        />
      )}
    </Sheet>
  );
}
