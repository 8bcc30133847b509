/** The tools along the lower edge of the scene: what is drawn, how, from where, and the picture as a file. */
import type { ReactNode } from 'react';
import type { MapKind } from '@nagare/core/maps/residual';
import type { ViewState } from '../store/view-state.ts';
import { useProject } from '../store/use-project.tsx';
import { NumberField } from '../frame/parts.tsx';
import { LOOKS } from './looks-words.ts';
import type { Reaching } from './use-hands.ts';

const EXTENTS: readonly (readonly [ViewState['extent'], string])[] = [
  ['unique', 'Unique part'],
  ['molecules', 'Whole molecules'],
  ['motif', 'One motif'],
  ['packed cell', 'Molecules of the cell'],
  ['cell', 'Exactly one cell'],
  ['closed cell', 'Cell closed at its faces'],
  ['block', 'Block of cells'],
  ['sphere', 'Sphere around the selection'],
  ['net', 'What the selection hangs in'],
  ['slab', 'Slab between planes'],
];
const REACHES: readonly (readonly [Reaching, string, string])[] = [
  ['box', 'Box', 'Drag a box around atoms (or hold Alt)'],
  ['lasso', 'Lasso', 'Draw a line around atoms'],
];
const MAP_NAMES: Readonly<Record<MapKind, string>> = {
  difference: 'Residual density',
  observed: 'Fo density',
  doubled: '2Fo − Fc density',
  deformation: 'Deformation density',
};

export interface SceneToolsProps {
  readonly reach: Reaching | undefined;
  setReach(mode: Reaching | undefined): void;
  readonly aroundSelection: boolean;
  setAroundSelection(on: boolean): void;
  along(axis: 0 | 1 | 2): void;
  fit(): void;
  save(kind: 'svg' | 'png'): void;
  trace(): void;
}

export function SceneTools(props: SceneToolsProps): ReactNode {
  return (
    <div className="scene-tools">
      <ExtentTools />
      <LookTools />
      <div>
        {(['a', 'b', 'c'] as const).map((n, i) => (
          <button
            key={n}
            className="word"
            title={`Look along ${n} (key ${n})`}
            onClick={() => props.along(i as 0 | 1 | 2)}
          >
            {n}
          </button>
        ))}
        <button className="word" title="Fit to the pane (key f)" onClick={() => props.fit()}>
          Fit
        </button>
        {REACHES.map(([mode, name, hint]) => (
          <button
            key={mode}
            className="word"
            aria-pressed={props.reach === mode}
            title={hint}
            onClick={() => props.setReach(props.reach === mode ? undefined : mode)}
          >
            {name}
          </button>
        ))}
      </div>
      <DensityTools aroundSelection={props.aroundSelection} setAroundSelection={props.setAroundSelection} />
      <div>
        <button className="word" title="The picture as a vector file" onClick={() => props.save('svg')}>
          SVG
        </button>
        <button className="word" title="The picture as a raster file" onClick={() => props.save('png')}>
          PNG
        </button>
        <button className="word" title="The picture with shadows, by tracing rays" onClick={() => props.trace()}>
          Rays…
        </button>
      </div>
    </div>
  );
}

function ExtentTools(): ReactNode {
  const { view, setView, growth, setGrowth, selection, setAround } = useProject(
    'view',
    'setView',
    'growth',
    'setGrowth',
    'selection',
    'setAround',
  );
  const choose = (extent: ViewState['extent']): void => {
    setGrowth([]);
    // The sphere stays where it was put, whatever is selected later.
    if (extent === 'sphere' || extent === 'net') setAround(selection);
    setView({ extent });
  };
  return (
    <div>
      <select
        aria-label="Part of the crystal that is drawn"
        className="form-select form-select-sm"
        value={growth.length ? 'grown' : view.extent}
        onChange={(e) => choose(e.target.value as ViewState['extent'])}
      >
        {growth.length > 0 && <option value="grown">Grown by hand</option>}
        {EXTENTS.map(([value, name]) => (
          <option key={value} value={value}>
            {name}
          </option>
        ))}
      </select>
      {!growth.length && <ExtentNumbers view={view} setView={setView} />}
    </div>
  );
}

/** The numbers that some extents have. */
function ExtentNumbers({ view, setView }: { view: ViewState; setView(v: Partial<ViewState>): void }): ReactNode {
  const { block, slab } = view;
  if (view.extent === 'block')
    return (
      <>
        {(['a', 'b', 'c'] as const).map((axis, k) => (
          <NumberField
            key={axis}
            id={`block-${axis}`}
            label={`Cells along ${axis}`}
            value={block.to[k]! - block.from[k]!}
            digits={2}
            step={1}
            min={0.5}
            onChange={(v) => setView({ block: { ...block, to: withValue(block.to, k, block.from[k]! + v) } })}
          />
        ))}
      </>
    );
  if (view.extent === 'sphere')
    return (
      <NumberField
        id="sphere-radius"
        label="Radius of the sphere"
        value={view.radius}
        digits={1}
        step={0.5}
        min={0.5}
        unit="Å"
        onChange={(radius) => setView({ radius })}
      />
    );
  if (view.extent === 'net')
    return (
      <NumberField
        id="net-radius"
        label="How far it is followed"
        value={view.netRadius}
        digits={1}
        step={1}
        min={1}
        max={80}
        unit="Å"
        onChange={(netRadius) => setView({ netRadius })}
      />
    );
  if (view.extent !== 'slab') return null;
  return (
    <>
      {(['h', 'k', 'l'] as const).map((index, k) => (
        <NumberField
          key={index}
          id={`slab-${index}`}
          label={`Index ${index} of the slab’s planes`}
          value={slab.plane[k]!}
          digits={0}
          step={1}
          onChange={(v) => setView({ slab: { ...slab, plane: withValue(slab.plane, k, v) } })}
        />
      ))}
      <NumberField
        id="slab-from"
        label="Slab from, in spacings"
        value={slab.from}
        digits={2}
        step={0.1}
        onChange={(from) => setView({ slab: { ...slab, from } })}
      />
      <NumberField
        id="slab-to"
        label="Slab to, in spacings"
        value={slab.to}
        digits={2}
        step={0.1}
        onChange={(to) => setView({ slab: { ...slab, to } })}
      />
    </>
  );
}

const withValue = (v: readonly [number, number, number], k: number, x: number): [number, number, number] =>
  v.map((y, i) => (i === k ? x : y)) as [number, number, number];

function LookTools(): ReactNode {
  const { view, setView } = useProject('view', 'setView');
  return (
    <div>
      <select
        aria-label="How atoms are drawn"
        className="form-select form-select-sm"
        value={view.look}
        onChange={(e) => setView({ look: e.target.value as ViewState['look'] })}
      >
        {LOOKS.map(([value, name]) => (
          <option key={value} value={value}>
            {name}
          </option>
        ))}
      </select>
      {view.look === 'ellipsoids' && (
        <select
          aria-label="Probability of the ellipsoids"
          className="form-select form-select-sm"
          value={view.probability}
          onChange={(e) => setView({ probability: Number(e.target.value) })}
        >
          {[0.3, 0.5, 0.7, 0.9].map((p) => (
            <option key={p} value={p}>
              {100 * p} %
            </option>
          ))}
        </select>
      )}
      <button
        className="word"
        aria-pressed={view.showHydrogen}
        title="Hydrogens"
        onClick={() => setView({ showHydrogen: !view.showHydrogen })}
      >
        H
      </button>
      <button
        className="word"
        aria-pressed={view.labels !== 'none'}
        onClick={() => setView({ labels: view.labels === 'none' ? 'label' : 'none' })}
      >
        Labels
      </button>
      <button className="word" aria-pressed={view.showCell} onClick={() => setView({ showCell: !view.showCell })}>
        Axes
      </button>
    </div>
  );
}

function DensityTools({
  aroundSelection,
  setAroundSelection,
}: Pick<SceneToolsProps, 'aroundSelection' | 'setAroundSelection'>): ReactNode {
  const { preview, result, showMap, setShowMap, mapKind, level, setLevel, selection } = useProject(
    'preview',
    'result',
    'showMap',
    'setShowMap',
    'mapKind',
    'level',
    'setLevel',
    'selection',
  );
  if (preview || !result?.map) return null;
  return (
    <div>
      <button className="word" aria-pressed={showMap} onClick={() => setShowMap(!showMap)}>
        {MAP_NAMES[mapKind]}
      </button>
      {showMap && (
        <>
          <input
            type="range"
            aria-label="Contour level"
            min="0.08"
            max="2.5"
            step="0.02"
            value={level}
            onChange={(e) => setLevel(Number(e.target.value))}
          />
          <span className="mono px-1">±{level.toFixed(2)} e Å⁻³</span>
          {selection.length > 0 && (
            <button
              className="word"
              aria-pressed={aroundSelection}
              onClick={() => setAroundSelection(!aroundSelection)}
            >
              around the selection
            </button>
          )}
        </>
      )}
    </div>
  );
}
