/** Refine: readings first, then the work in the order in which it is done. */
import { prettySymbol } from '@nagare/core/crystal/settings';
import './refine.scss';
import { useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import { useNavigate } from 'react-router';
import type { CycleReport } from '@nagare/core/refine/single-crystal';
import { decimal } from '@nagare/core/math/decimal';
import { Gauge, NumberField, percent, Sheet } from '../../frame/parts.tsx';
import { refineMark } from './refine-work.ts';
import { useProject, useProjectStore } from '../../store/use-project.tsx';
import { AsphericalSheet } from './Aspherical.tsx';
import { CompleteSheet } from './Complete.tsx';
import { DataSheet } from './DataSheet.tsx';
import { DensitySheet } from './Density.tsx';
import { DisorderSheet } from './Disorder.tsx';
import { ExpectedSheet } from './Expected.tsx';
import { HydrogensSheet } from './Hydrogens.tsx';
import { RestraintsSheet } from './Restraints.tsx';
import { SettleSheet } from './Settle.tsx';
import { SitesTable } from './SitesTable.tsx';

export function RefineDesk(): ReactNode {
  const { project, head, hasData } = useProject('project', 'head', 'hasData');
  const navigate = useNavigate();
  if (!head)
    return (
      <Sheet
        title="No model yet"
        state="Refinement begins from a model: the first one comes from Solve, or from a CIF with atom sites."
      >
        <Button onClick={() => void navigate(`/projects/${project.id}/solve`)}>Go to Solve</Button>
      </Sheet>
    );
  return (
    <>
      <Figures />
      {hasData ? (
        <>
          <SettleSheet />
          <LeastSquares />
        </>
      ) : (
        <Sheet
          title="No intensities"
          state="This structure came without reflections. It can be looked at and measured; to refine it, drop the reflections as a CIF with both."
        />
      )}
      <DensitySheet />
      <HydrogensSheet />
      <DisorderSheet />
      <RestraintsSheet />
      <DataSheet />
      {hasData && <AsphericalSheet />}
      <ExpectedSheet />
      <CompleteSheet />
      <SitesTable />
    </>
  );
}

function Figures(): ReactNode {
  const { head } = useProject('head');
  const r = head!.readings,
    m = head!;
  return (
    <Sheet
      title="Figures"
      state={m.message ?? (r ? '' : 'This mark was not refined yet; R1 is that of the model as it stands.')}
    >
      <Gauge
        name={m.fit ? 'Rwp' : 'R1'}
        value={m.r1}
        text={percent(m.r1)}
        from={0}
        to={0.2}
        target={0.05}
        better="below"
        hint="On F, for I > 2σ(I)"
      />
      <Gauge
        name="wR2"
        value={m.wr2}
        text={percent(m.wr2)}
        from={0}
        to={0.5}
        target={0.15}
        better="below"
        hint="On F², all data"
      />
      {r && (
        <>
          <Gauge
            name="S"
            value={r.s}
            text={r.s.toFixed(3)}
            from={0.5}
            to={1.5}
            target={1}
            better="near"
            hint="Goodness of fit"
          />
          <Gauge
            name="shift/s.u."
            value={Math.log10(Math.max(1e-3, r.maxShiftOverSu))}
            text={r.maxShiftOverSu.toFixed(3)}
            from={-3}
            to={1}
            target={-2}
            better="below"
            hint="Largest in the last cycle, log scale"
          />
        </>
      )}
      {m.residual && (
        <>
          <Gauge
            name="peak"
            value={m.residual.peak}
            text={`${m.residual.peak.toFixed(2)} e Å⁻³`}
            from={0}
            to={2}
            target={0.4}
            better="below"
          />
          <Gauge
            name="hole"
            value={-m.residual.hole}
            text={`${decimal(m.residual.hole, 2)} e Å⁻³`}
            from={0}
            to={2}
            target={0.4}
            better="below"
          />
        </>
      )}
      {r && (
        <p className="soft mb-0 mt-1">
          {r.reflections} reflections ({r.observed} above 2σ), {r.parameters} parameters
          {r.restraints ? `, ${r.restraints} equations of restraints` : ''}; R1 of all data {percent(r.r1All)}; weights
          a {r.weights.a.toFixed(4)}, b {r.weights.b.toFixed(4)}
          {r.extinction ? `; extinction ${r.extinction.value.toPrecision(3)}` : ''}.
        </p>
      )}
    </Sheet>
  );
}

function LeastSquares(): ReactNode {
  const store = useProjectStore();
  const { head, merged, work, place } = useProject('head', 'merged', 'work', 'place');
  const isotropic = head!.structure!.sites.filter((s) => s.element !== 'H').every((s) => s.displacement.kind === 'iso');
  const [cycles, setCycles] = useState(20);
  const [wanted, setWanted] = useState<'as it is' | 'iso' | 'aniso' | undefined>();
  const [history, setHistory] = useState<CycleReport[]>([]);
  // After a first isotropic model settles, the next sensible step is anisotropic.
  const displacement =
    wanted ?? (isotropic ? (head!.readings || head!.kind === 'solve' ? 'aniso' : 'iso') : 'as it is');
  const running = work?.title === 'Refining';
  const start = async (): Promise<void> => {
    setHistory([]);
    await refineMark(store, {
      cycles,
      ...(displacement === 'as it is' ? {} : { displacement }),
      place,
      onCycle: (c) => setHistory((h) => [...h, c]),
    });
  };
  return (
    <Sheet
      title="Least squares"
      fold
      state={
        merged
          ? 'Full matrix on F², all data, weights optimised.'
          : `The data are not merged for ${prettySymbol(head!.structure!.spaceGroup.symbol)} yet; cell and wavelength have to be known at Intake.`
      }
    >
      <div className="field">
        <label htmlFor="adp">Displacements</label>
        <select
          id="adp"
          className="form-select form-select-sm"
          value={displacement}
          onChange={(e) => setWanted(e.target.value as typeof wanted)}
        >
          <option value="as it is">as they are</option>
          <option value="aniso">anisotropic (not H)</option>
          <option value="iso">isotropic</option>
        </select>
      </div>
      <div className="field">
        <label htmlFor="cycles">At most</label>
        <NumberField
          id="cycles"
          value={cycles}
          digits={0}
          step={1}
          min={1}
          max={200}
          unit="cycles"
          onChange={(v) => setCycles(Math.round(v))}
        />
      </div>
      <div className="d-flex gap-2 align-items-center">
        {running ? (
          <Button variant="outline-danger" onClick={() => work?.cancel()}>
            Stop
          </Button>
        ) : (
          <Button
            variant="outline-primary"
            disabled={!!work || !merged || !head!.structure!.sites.length}
            onClick={() => void start().then(() => setWanted(undefined))}
          >
            Refine
          </Button>
        )}
      </div>
      {history.length > 0 && (
        <details open={running}>
          <summary>Cycles</summary>
          <table>
            <thead>
              <tr>
                <th className="n">cycle</th>
                <th className="n">R1</th>
                <th className="n">wR2</th>
                <th className="n">S</th>
                <th className="n">shift/s.u.</th>
                <th>of</th>
              </tr>
            </thead>
            <tbody>
              {history.slice(-12).map((h) => (
                <tr key={h.cycle}>
                  <td className="n">{h.cycle}</td>
                  <td className="n">{percent(h.r1)}</td>
                  <td className="n">{percent(h.wr2)}</td>
                  <td className="n">{h.s.toFixed(2)}</td>
                  <td className="n">{h.maxShiftOverSu.toFixed(3)}</td>
                  <td>{h.maxShiftOf}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </details>
      )}
    </Sheet>
  );
}
