/** Surfaces in a figure: density, wishes of a molecule, its own surface. */
import type { ReactNode } from 'react';
import type { SurfaceBy } from '@nagare/core/contacts/molecule-surface';
import { siteOf, type AtomRef } from '@nagare/core/crystal/atom-ref';
import { newId, type Structure } from '@nagare/core/crystal/structure';
import { PAINTED_BY, type FigureSurface } from '@nagare/core/depict/figure-surfaces';
import { PAPER_COLOURS } from '@nagare/core/draw/colours';
import { isSigned, MAP_KINDS, type MapKind } from '@nagare/core/maps/residual';
import { Sheet } from '../../frame/parts.tsx';
import { useProject } from '../../store/use-project.tsx';
import { PAINTED_WORDS } from '../relate/surface-words.ts';
import { hueOfProbe, OFFERED } from '../relate/wish-words.ts';
import { ColourField, Slider, type ColourFieldProps } from './RuleFields.tsx';
import { ShapeFields } from './ShapeFields.tsx';
import type { FigureOnTable } from './use-figure.ts';

const MAP_WORDS: Readonly<Record<MapKind, string>> = {
  difference: 'residual density, Fo − Fc',
  observed: 'observed density, Fo',
  doubled: 'density with what is missing, 2Fo − Fc',
  deformation: 'deformation density of aspherical atoms',
};
const BY_WORDS: Readonly<Record<SurfaceBy, string>> = {
  density: 'where half of the density is its own',
  distance: 'midway to the neighbours',
};
/** Levels of density that can be chosen, e Å⁻³. */
const LOWEST = 0.04,
  HIGHEST = 6;

const HEADS: Readonly<Record<FigureSurface['kind'], string>> = {
  map: 'density',
  wishes: 'wishes',
  molecule: 'surface of a molecule',
  voids: 'empty space',
  ways: 'chambers and ways',
  shape: 'shape of the crystal',
};

type Of<K extends FigureSurface['kind']> = Extract<FigureSurface, { kind: K }>;

export function SurfacesSheet({ s, table }: { s: Structure; table: FigureOnTable }): ReactNode {
  const { drawing, changeDrawing } = table;
  const { intake, level } = useProject('intake', 'level');
  const surfaces = drawing.surfaces ?? [];
  const setAll = (title: string, make: (list: readonly FigureSurface[]) => readonly FigureSurface[]): void =>
    changeDrawing(title, (d) => ({ ...d, surfaces: make(d.surfaces ?? []) }));
  const add = (surface: FigureSurface): void => setAll(`surface ${surface.id}`, (list) => [...list, surface]);
  const isOfMolecules = s.sites.some((x) => x.element === 'C');
  return (
    <Sheet
      title="Surfaces"
      fold
      shut
      state={
        surfaces.length
          ? surfaces.map(surfaceWords).join(', ')
          : 'Density, wishes, the surface of a molecule, empty space and its ways, the shape of the crystal.'
      }
    >
      {surfaces.map((x) => (
        <SurfaceFields
          key={x.id}
          s={s}
          surface={x}
          change={(next) => setAll(`surface ${x.id}`, (list) => list.map((y) => (y.id === x.id ? next : y)))}
          remove={() => setAll(`surface ${x.id} removed`, (list) => list.filter((y) => y.id !== x.id))}
        />
      ))}
      <p className="acts mb-0">
        {intake && (
          <button className="word" onClick={() => add(newMap(level))}>
            Add density
          </button>
        )}
        <button className="word" onClick={() => add(newVoids())}>
          Add empty space
        </button>
        <button className="word" onClick={() => add(newWays())}>
          Add chambers and ways
        </button>
        <button className="word" onClick={() => add(newShape())}>
          Add the shape of the crystal
        </button>
        {isOfMolecules && (
          <>
            <button className="word" onClick={() => add(newWish())}>
              Add wishes
            </button>
            <button className="word" onClick={() => add(newSkin())}>
              Add the surface of a molecule
            </button>
          </>
        )}
      </p>
    </Sheet>
  );
}

const newMap = (level: number): Of<'map'> => ({
  id: newId(),
  kind: 'map',
  map: 'difference',
  level,
  colour: PAPER_COLOURS.water,
  below: PAPER_COLOURS.vermilion,
  opacity: 0.5,
});
const newWish = (): Of<'wishes'> => ({
  id: newId(),
  kind: 'wishes',
  probe: 'donor',
  share: 0.3,
  colour: PAPER_COLOURS[hueOfProbe('donor')],
  opacity: 0.45,
});
const newSkin = (): Of<'molecule'> => ({
  id: newId(),
  kind: 'molecule',
  by: 'density',
  painted: 'closeness',
  colour: PAPER_COLOURS.gold,
  opacity: 0.75,
});

const newVoids = (): Of<'voids'> => ({
  id: newId(),
  kind: 'voids',
  probe: 1.2,
  colour: PAPER_COLOURS.gold,
  opacity: 0.6,
});

const newWays = (): Of<'ways'> => ({
  id: newId(),
  kind: 'ways',
  probe: 1.2,
  colour: PAPER_COLOURS.gold,
  tubes: PAPER_COLOURS.water,
  opacity: 1,
});

const newShape = (): Of<'shape'> => ({
  id: newId(),
  kind: 'shape',
  by: 'spacings',
  colour: PAPER_COLOURS.water,
  opacity: 0.2,
  edges: true,
  names: true,
});

const surfaceWords = (x: FigureSurface): string =>
  x.kind === 'map'
    ? `${isSigned(x.map) ? '±' : ''}${x.level.toFixed(2)} e Å⁻³`
    : x.kind === 'wishes'
      ? `wishes for a ${x.probe}`
      : x.kind === 'voids'
        ? `empty space for ${x.probe.toFixed(2)} Å`
        : x.kind === 'ways'
          ? `ways for ${x.probe.toFixed(2)} Å`
          : x.kind === 'shape'
            ? 'the shape of the crystal'
            : 'a molecule’s surface';

interface FieldsProps<T> {
  readonly surface: T;
  change(next: FigureSurface): void;
}

function SurfaceFields(props: FieldsProps<FigureSurface> & { s: Structure; remove(): void }): ReactNode {
  const { s, surface, change, remove } = props;
  return (
    <fieldset className="mb-2">
      <legend className="soft">
        {HEADS[surface.kind]}
        <button className="word off" aria-label={`Remove ${surfaceWords(surface)}`} onClick={remove}>
          ×
        </button>
      </legend>
      {surface.kind === 'map' && <MapFields surface={surface} change={change} />}
      {surface.kind === 'wishes' && <WishFields surface={surface} change={change} />}
      {surface.kind === 'molecule' && <SkinFields surface={surface} change={change} />}
      {(surface.kind === 'voids' || surface.kind === 'ways') && (
        <Slider
          label="probe"
          value={surface.probe}
          from={0}
          to={4}
          step={0.05}
          text={`${surface.probe.toFixed(2)} Å`}
          onChange={(probe) => change({ ...surface, probe })}
        />
      )}
      {surface.kind === 'ways' && (
        <HeadedColour
          head="ways"
          label="Colour of the ways"
          colour={surface.tubes}
          onChange={(tubes) => {
            if (tubes) change({ ...surface, tubes });
          }}
        />
      )}
      {surface.kind === 'shape' && <ShapeFields s={s} surface={surface} change={change} />}
      {(surface.kind === 'wishes' || surface.kind === 'molecule') && (
        <WhoseFields s={s} surface={surface} change={change} />
      )}
      {(surface.kind !== 'molecule' || !surface.painted) && (
        <HeadedColour
          head={surface.kind === 'ways' ? 'chambers' : undefined}
          label={surface.kind === 'ways' ? 'Colour of the chambers' : 'Colour of the surface'}
          colour={surface.colour}
          onChange={(colour) => {
            if (colour) change({ ...surface, colour });
          }}
        />
      )}
      <Slider
        label="cover"
        value={surface.opacity}
        from={0.1}
        to={1}
        step={0.05}
        text={`${Math.round(100 * surface.opacity)} %`}
        onChange={(opacity) => change({ ...surface, opacity })}
      />
    </fieldset>
  );
}

/** Colours to choose from, with what they are of where there are two. */
function HeadedColour({ head, ...field }: ColourFieldProps & { readonly head: string | undefined }): ReactNode {
  if (!head) return <ColourField {...field} />;
  return (
    <div className="d-flex align-items-center justify-content-between">
      <span className="soft">{head}</span>
      <ColourField {...field} />
    </div>
  );
}

function MapFields({ surface, change }: FieldsProps<Of<'map'>>): ReactNode {
  return (
    <>
      <select
        className="form-select form-select-sm mb-1"
        aria-label="Which density"
        value={surface.map}
        onChange={(e) => {
          const map = MAP_KINDS.find((k) => k === e.target.value) ?? 'difference';
          const { below: _, ...rest } = surface;
          change(
            isSigned(map) ? { ...rest, map, level: 0.2, below: PAPER_COLOURS.vermilion } : { ...rest, map, level: 1.6 },
          );
        }}
      >
        {MAP_KINDS.map((k) => (
          <option key={k} value={k}>
            {MAP_WORDS[k]}
          </option>
        ))}
      </select>
      <Slider
        label="at"
        // The eye compares levels by their ratio.
        value={Math.log(surface.level)}
        from={Math.log(LOWEST)}
        to={Math.log(HIGHEST)}
        step={0.01}
        text={`${surface.level.toFixed(2)} e Å⁻³`}
        onChange={(x) => change({ ...surface, level: Number(Math.exp(x).toPrecision(3)) })}
      />
    </>
  );
}

function WishFields({ surface, change }: FieldsProps<Of<'wishes'>>): ReactNode {
  return (
    <>
      <select
        className="form-select form-select-sm mb-1"
        aria-label="Wishes for"
        value={surface.probe}
        onChange={(e) => {
          const probe = OFFERED.find((p) => p === e.target.value);
          if (probe) change({ ...surface, probe, colour: PAPER_COLOURS[hueOfProbe(probe)] });
        }}
      >
        {OFFERED.map((p) => (
          <option key={p}>{p}</option>
        ))}
      </select>
      <Slider
        label="from, of the best"
        value={surface.share}
        from={0.03}
        to={0.95}
        step={0.01}
        text={`${Math.round(100 * surface.share)} %`}
        onChange={(share) => change({ ...surface, share })}
      />
    </>
  );
}

function SkinFields({ surface, change }: FieldsProps<Of<'molecule'>>): ReactNode {
  const { head } = useProject('head');
  const isKnown = !!head?.treatment.aspherical?.potentials;
  const offered = PAINTED_BY.filter((p) => p !== 'potential' || isKnown || surface.painted === p);
  return (
    <>
      <select
        className="form-select form-select-sm mb-1"
        aria-label="Where the surface lies"
        value={surface.by}
        onChange={(e) => change({ ...surface, by: e.target.value === 'distance' ? 'distance' : 'density' })}
      >
        {(['density', 'distance'] as const).map((by) => (
          <option key={by} value={by}>
            {BY_WORDS[by]}
          </option>
        ))}
      </select>
      <select
        className="form-select form-select-sm mb-1"
        aria-label="Painted by"
        value={surface.painted ?? ''}
        onChange={(e) => {
          const { painted: _, ...rest } = surface;
          const painted = PAINTED_BY.find((p) => p === e.target.value);
          change(painted ? { ...rest, painted } : rest);
        }}
      >
        <option value="">one colour</option>
        {offered.map((p) => (
          <option key={p} value={p}>
            {PAINTED_WORDS[p]}
          </option>
        ))}
      </select>
    </>
  );
}

/** Of which molecule: the largest, or that of the atom picked last. */
function WhoseFields(props: FieldsProps<Of<'wishes'> | Of<'molecule'>> & { s: Structure }): ReactNode {
  const { s, surface, change } = props;
  const { selection } = useProject('selection');
  const picked = selection.at(-1);
  const whose = (of: AtomRef | undefined): void => {
    const { of: _, ...rest } = surface;
    change(of ? { ...rest, of } : rest);
  };
  return (
    <p className="acts mb-1">
      <span className="soft">
        of {surface.of ? `the molecule of ${siteOf(s, surface.of)?.label ?? '?'}` : 'the largest molecule'}
      </span>
      {picked && (
        <button className="word" onClick={() => whose(picked)}>
          Of the picked one
        </button>
      )}
      {surface.of && (
        <button className="word" onClick={() => whose(undefined)}>
          Of the largest
        </button>
      )}
    </p>
  );
}
