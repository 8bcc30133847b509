/** Slabs along a plane, with every way to cut them and what can be done about a dipole. */
import { useMemo, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import type { VacuumChoice } from '@nagare/core/build/surface';
import { planeThroughPlaces } from '@nagare/core/build/surface-plane';
import { crystalShape } from '@nagare/core/space/crystal-shape';
import { positionOf, siteOf } from '@nagare/core/crystal/atom-ref';
import type { Mat2 } from '@nagare/core/math/matrix2';
import type { Vec3 } from '@nagare/core/math/matrix3';
import type { BuildWish, CutSurface } from '@nagare/core/tasks/build-task';
import { NumberRow } from '../../frame/NumberRow.tsx';
import { NumberField, Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import type { BuildSheetProps } from './Build.tsx';
import { parseInPlane } from './build-wishes.ts';
import { CrystalShape } from './CrystalShape.tsx';
import { Terminations } from './Terminations.tsx';
import { USUAL_VACUUM, VacuumFields } from './VacuumFields.tsx';

type SlabWish = Extract<BuildWish, { kind: 'slab' }>;

export function SurfaceSheet({ wish, state, onWish }: BuildSheetProps): ReactNode {
  const [plane, setPlane] = useState<Vec3>([1, 0, 0]);
  const [layers, setLayers] = useState(3);
  const [vacuum, setVacuum] = useState(USUAL_VACUUM);
  const { head } = useProject('head');
  const s = head!.structure!;
  const shape = useMemo(() => crystalShape(s), [s]);
  const mine = wish?.kind === 'slab' ? wish : undefined;
  const surface = mine && state.built?.surface;
  const through = usePlaneOfSelection();
  /** What is looked at follows the fields as soon as there is something to look at. */
  const follow = (change: { plane?: Vec3; layers?: number; vacuum?: VacuumChoice }): void => {
    if (!mine) return;
    const { termination, remedy, inPlane, ...rest } = mine;
    const kept = change.plane ? {} : ownOf({ termination, remedy, inPlane });
    onWish({ ...rest, ...kept, ...change });
  };
  const takePlane = (next: Vec3): void => {
    setPlane(next);
    follow({ plane: next });
  };
  const takeLayers = (n: number): void => {
    setLayers(n);
    follow({ layers: n });
  };
  return (
    <Sheet title="Surface" fold state="A slab of the crystal along a plane, with nothing above it.">
      <CrystalShape faces={shape} chosen={plane} act="Cut along" onPick={takePlane} />
      <div className="triple">
        <span className="soft">(</span>
        <NumberRow
          id="plane"
          labels={['h', 'k', 'l'].map((x) => `Index ${x} of the plane`)}
          values={plane}
          digits={0}
          step={1}
          min={-9}
          max={9}
          onChange={([h, k, l]) => takePlane([h!, k!, l!])}
        />
        <span className="soft">)</span>
        <NumberField
          id="slab-layers"
          label="Layers of the slab"
          value={layers}
          digits={0}
          step={1}
          min={1}
          max={60}
          onChange={(n) => takeLayers(Math.round(n))}
        />
        <span className="soft">layers</span>
        {surface && <OtherThickness surface={surface} layers={layers} onLayers={takeLayers} />}
      </div>
      {through && through.join() !== plane.join() && (
        <p className="mb-1">
          <button className="word" onClick={() => takePlane(through)}>
            ({through.join(' ')}) runs through the selected atoms
          </button>
        </p>
      )}
      <VacuumFields
        id="slab"
        value={vacuum}
        cells={surface?.cells}
        onChange={(v) => {
          setVacuum(v);
          follow({ vacuum: v });
        }}
      />
      <p className="acts mb-1">
        <Button
          size="sm"
          disabled={plane.every((x) => x === 0)}
          onClick={() => onWish({ kind: 'slab', plane, layers, vacuum })}
        >
          Look at the slab
        </Button>
      </p>
      {mine && surface && (
        <>
          <Terminations surface={surface} wish={mine} onWish={onWish} />
          <InPlane surface={surface} wish={mine} onWish={onWish} />
        </>
      )}
    </Sheet>
  );
}

/** Fields that are there. */
function ownOf<T extends object>(fields: T): { [K in keyof T]?: Exclude<T[K], undefined> } {
  return Object.fromEntries(Object.entries(fields).filter(([, v]) => v !== undefined)) as never;
}

interface OtherThicknessProps {
  readonly surface: CutSurface;
  readonly layers: number;
  onLayers(n: number): void;
}

/** The same thickness in Å, and in formula units. */
function OtherThickness({ surface, layers, onLayers }: OtherThicknessProps): ReactNode {
  const { spacing, units } = surface;
  const reaching = (x: number, each: number): void => onLayers(Math.max(1, Math.ceil(x / each - 1e-6)));
  return (
    <>
      <NumberField
        id="slab-thickness"
        label="Thickness of the slab at least, Å"
        value={layers * spacing}
        digits={1}
        step={spacing}
        min={0.1}
        max={300}
        unit="Å or more"
        onChange={(x) => reaching(x, spacing)}
      />
      <NumberField
        id="slab-units"
        label="Formula units of the slab at least"
        value={layers * units}
        digits={units % 1 ? 1 : 0}
        step={units}
        min={0.1}
        max={600}
        unit="formula units"
        onChange={(x) => reaching(x, units)}
      />
    </>
  );
}

/** The plane through the three atoms that are selected, if three are. */
function usePlaneOfSelection(): Vec3 | undefined {
  const { head, selection } = useProject('head', 'selection');
  const s = head?.structure;
  return useMemo(() => {
    const atoms = s ? selection.filter((a) => siteOf(s, a)) : [];
    if (!s || atoms.length !== 3) return undefined;
    const [a, b, c] = atoms.map((x) => positionOf(s, x)) as [Vec3, Vec3, Vec3];
    return planeThroughPlaces(a, b, c);
  }, [s, selection]);
}

interface SlabProps {
  readonly surface: CutSurface;
  readonly wish: SlabWish;
  onWish(wish: BuildWish): void;
}

/** The axes that were found, and others in the plane if wished. */
function InPlane({ surface, wish, onWish }: SlabProps): ReactNode {
  const [text, setText] = useState('');
  const { matrix: p } = surface;
  const columns = [0, 1, 2].map((k) => `(${p[k]} ${p[3 + k]} ${p[6 + k]})`);
  const { columns: own, problem } = parseInPlane(text);
  const take = (inPlane: Mat2 | undefined): void => {
    const { inPlane: _, ...rest } = wish;
    onWish(inPlane ? { ...rest, inPlane } : rest);
  };
  return (
    <details className="fine">
      <summary>Axes of the plane</summary>
      <p className="soft mb-1">
        In terms of the crystal’s axes a is {columns[0]}, b {columns[1]}, and {columns[2]} leads to the next layer.
        Other axes in whole numbers of a and b:
      </p>
      <form
        className="triple"
        onSubmit={(e) => {
          e.preventDefault();
          if (!problem) take(own);
        }}
      >
        <input
          className="form-control form-control-sm matrix"
          aria-label="Axes in the plane in terms of a and b"
          placeholder="2,0; 0,1"
          value={text}
          onChange={(e) => setText(e.target.value.replace(/−/g, '-'))}
        />
        <button className="word" type="submit" disabled={!!problem}>
          {own ? 'Take these' : 'The shortest'}
        </button>
      </form>
      {problem && <p className="off mb-1">{problem}</p>}
    </details>
  );
}
