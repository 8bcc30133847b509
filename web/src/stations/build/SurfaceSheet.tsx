/** Slabs along a plane with every way to cut them, and layers as bonds make them. */
import { useMemo, useState, type ReactNode } from 'react';
import { Button } from 'react-bootstrap';
import type { Termination, VacuumChoice } from '@nagare/core/build/surface';
import { planeThroughPlaces } from '@nagare/core/build/surface-plane';
import { positionOf, siteOf } from '@nagare/core/crystal/atom-ref';
import { formulaText } from '@nagare/core/crystal/formula';
import type { Vec3 } from '@nagare/core/math/matrix3';
import type { CutSurface } from '@nagare/core/tasks/build-task';
import { NumberField, PickRow, Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import type { BuildSheetProps } from './Build.tsx';
import { constantsWords } from './build-wishes.ts';

const USUAL: VacuumChoice = { vacuum: 12, along: 'normal', bothSides: true };

export function SurfaceSheet({ wish, state, onWish }: BuildSheetProps): ReactNode {
  const [plane, setPlane] = useState<Vec3>([1, 0, 0]);
  const [layers, setLayers] = useState(3);
  const [vacuum, setVacuum] = useState(USUAL);
  const mine = wish?.kind === 'slab' ? wish : undefined;
  const spacing = mine && state.built?.surface?.spacing;
  const through = usePlaneOfSelection();
  /** What is looked at follows the fields as soon as there is something to look at. */
  const follow = (change: { plane?: Vec3; layers?: number; vacuum?: VacuumChoice }): void => {
    if (!mine) return;
    const { termination, ...rest } = mine;
    const kept = change.plane || termination === undefined ? {} : { termination };
    onWish({ ...rest, ...kept, ...change });
  };
  return (
    <Sheet title="Surface" fold state="A slab of the crystal along a plane, with nothing above it.">
      <div className="triple">
        <span className="soft">(</span>
        {[0, 1, 2].map((k) => (
          <NumberField
            key={k}
            id={`plane-${k}`}
            label={`Index ${'hkl'[k]} of the plane`}
            value={plane[k]!}
            digits={0}
            step={1}
            min={-9}
            max={9}
            onChange={(x) => {
              const next = plane.map((y, i) => (i === k ? Math.round(x) : y)) as unknown as Vec3;
              setPlane(next);
              follow({ plane: next });
            }}
          />
        ))}
        <span className="soft">)</span>
        <NumberField
          id="slab-layers"
          label="Layers of the slab"
          value={layers}
          digits={0}
          step={1}
          min={1}
          max={60}
          onChange={(n) => {
            setLayers(Math.round(n));
            follow({ layers: Math.round(n) });
          }}
        />
        <span className="soft">layers</span>
        {spacing !== undefined && (
          <NumberField
            id="slab-thickness"
            label="Thickness of the slab at least, Å"
            value={layers * spacing}
            digits={1}
            step={spacing}
            min={0.1}
            max={300}
            unit="Å or more"
            onChange={(x) => {
              const n = Math.max(1, Math.ceil(x / spacing - 1e-6));
              setLayers(n);
              follow({ layers: n });
            }}
          />
        )}
      </div>
      {through && through.join() !== plane.join() && (
        <p className="mb-1">
          <button
            className="word"
            onClick={() => {
              setPlane(through);
              follow({ plane: through });
            }}
          >
            ({through.join(' ')}) runs through the selected atoms
          </button>
        </p>
      )}
      <VacuumFields
        id="slab"
        value={vacuum}
        cells={mine && state.built?.surface?.cells}
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
      {mine && state.built?.surface && (
        <Terminations surface={state.built.surface} onPick={(termination) => onWish({ ...mine, termination })} />
      )}
    </Sheet>
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

interface VacuumFieldsProps {
  readonly id: string;
  readonly value: VacuumChoice;
  /** What either way would come to, where it is known. */
  readonly cells?: CutSurface['cells'] | undefined;
  onChange(v: VacuumChoice): void;
}

function VacuumFields({ id, value, cells, onChange }: VacuumFieldsProps): ReactNode {
  const constants = (along: VacuumChoice['along']): string => (cells ? `: ${constantsWords(cells[along])}` : '');
  return (
    <div className="triple">
      <NumberField
        id={`${id}-vacuum`}
        label="Vacuum, Å"
        value={value.vacuum}
        digits={1}
        step={1}
        min={0}
        max={200}
        unit="Å of vacuum"
        onChange={(vacuum) => onChange({ ...value, vacuum })}
      />
      <select
        className="form-select form-select-sm"
        aria-label="Where c stands"
        value={value.along}
        onChange={(e) => onChange({ ...value, along: e.target.value as VacuumChoice['along'] })}
      >
        <option value="normal">c along the normal{constants('normal')}</option>
        <option value="oblique">the crystal’s own angles{constants('oblique')}</option>
      </select>
      <select
        className="form-select form-select-sm"
        aria-label="Where the vacuum is"
        value={value.bothSides ? 'both' : 'above'}
        onChange={(e) => onChange({ ...value, bothSides: e.target.value === 'both' })}
      >
        <option value="both">above and beneath</option>
        <option value="above">above only</option>
      </select>
    </div>
  );
}

/** Every way to cut the crystal along the plane. */
function Terminations({ surface, onPick }: { surface: CutSurface; onPick(index: number): void }): ReactNode {
  const { terminations, chosen, area, spacing } = surface;
  const told = (t: Termination): string =>
    [t.symmetric ? 'both sides alike' : '', t.polar ? 'polar' : t.dipole === undefined ? '' : 'no dipole']
      .filter(Boolean)
      .join(', ');
  return (
    <>
      <p className="soft mb-1">
        {area.toFixed(2)} Å² a cell, {spacing.toFixed(3)} Å a layer; {terminations.length}{' '}
        {terminations.length === 1 ? 'way' : 'ways'} to cut.
      </p>
      <table className="relate">
        <thead>
          <tr>
            <th>uppermost</th>
            <th className="n">gap, Å</th>
            <th className="n">bonds cut, Å⁻²</th>
            <th className="n">dipole, e Å⁻¹</th>
            <th>sides</th>
          </tr>
        </thead>
        <tbody>
          {terminations.map((t) => (
            <PickRow key={t.index} chosen={t.index === chosen} onPick={() => onPick(t.index)}>
              <td className="name">{formulaText(t.uppermost)}</td>
              <td className="n">{t.gap.toFixed(2)}</td>
              <td className="n">{t.brokenBonds.toFixed(3)}</td>
              <td className="n">{t.dipole === undefined ? '' : t.dipole.toFixed(3)}</td>
              <td className={t.polar ? 'off' : undefined}>{told(t)}</td>
            </PickRow>
          ))}
        </tbody>
      </table>
      {terminations[chosen]?.polar && <p className="mb-0">{remedy(terminations)}</p>}
    </>
  );
}

/** What can be done about a polar cut. */
function remedy(list: readonly Termination[]): string {
  const better = list.filter((t) => !t.polar);
  return better.length
    ? `This cut leaves a dipole, whose energy grows with every layer. Cut above ${better.map((t) => formulaText(t.uppermost)).join(' or ')} instead.`
    : 'Every cut along this plane leaves a dipole, whose energy grows with every layer: a real surface of this kind moves charges or atoms.';
}

export function LayerSheet({ onWish, wish }: BuildSheetProps): ReactNode {
  const [count, setCount] = useState(1);
  const [vacuum, setVacuum] = useState(USUAL);
  const mine = wish?.kind === 'layer';
  const show = (n: number, v: VacuumChoice): void => onWish({ kind: 'layer', count: n, vacuum: v });
  return (
    <Sheet title="Layers" fold shut state="Sheets as bonds make them, taken out one by one.">
      <div className="triple">
        <NumberField
          id="layer-count"
          label="How many layers"
          value={count}
          digits={0}
          step={1}
          min={1}
          max={40}
          onChange={(n) => {
            setCount(Math.round(n));
            if (mine) show(Math.round(n), vacuum);
          }}
        />
        <span className="soft">{count === 1 ? 'layer' : 'layers'}</span>
      </div>
      <VacuumFields
        id="layer"
        value={vacuum}
        onChange={(v) => {
          setVacuum(v);
          if (mine) show(count, v);
        }}
      />
      <p className="acts mb-0">
        <Button size="sm" onClick={() => show(count, vacuum)}>
          Look at the layer
        </Button>
      </p>
    </Sheet>
  );
}
