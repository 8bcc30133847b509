/** The layers of the scene in this tab: the model (built in a worker when it is large) and what lies beside it. */
import { useEffect, useMemo, useRef, useState } from 'react';
import type { Structure } from '@nagare/core/crystal/structure';
import { contactLayers, type OpenEnd } from '@nagare/core/draw/contact-layers';
import { buildLayers, type SceneWish } from '@nagare/core/draw/build-scene';
import type { SceneColours } from '@nagare/core/draw/colours';
import { faceLayer } from '@nagare/core/draw/block-faces';
import { atomsPerCell } from '@nagare/core/draw/extent';
import {
  densityLayer,
  elementLayers,
  ghostLayers,
  maximaLayers,
  poreLayers,
  selectionLayers,
  type GhostAtoms,
} from '@nagare/core/draw/extra-layers';
import { measureLayers } from '@nagare/core/draw/measure-layers';
import { itemsOf, type AtomPrimitive, type Layer } from '@nagare/core/draw/scene';
import type { Surface } from '@nagare/core/maps/isosurface';
import { DENSITY_REACH, regionAround } from '@nagare/core/maps/map-surfaces';
import { sameAxes } from '@nagare/core/model/compare';
import { cartesian } from '@nagare/core/crystal/structure';
import { run } from '../engine/engine.ts';
import { useMark, useProject } from '../store/use-project.tsx';
import { readPin, shortReading } from '../stations/relate/pins.ts';
import { useSceneColours } from './scene-colours.ts';
import { sceneWish } from './scene-wish.ts';
import { useShownMap } from './use-map.ts';

/** Drawn atoms above which the layers are built in a worker. */
const IN_WORKER = 500;

interface Built {
  readonly layers: readonly Layer[];
  readonly structure: Structure;
}

const NOTHING: readonly Layer[] = [];

/** About how many atoms an extent will draw, without building it. */
function roughCount(s: Structure, wish: SceneWish): number {
  const { extent } = wish;
  if (extent.kind === 'unique') return s.sites.length;
  if (extent.kind === 'list') return extent.atoms.length;
  return atomsPerCell(s) * (extent.kind === 'block' ? 4 : 1);
}

/** Model layers of a structure; a large one keeps the picture before it on screen until it is ready. */
function useModelLayers(s: Structure | undefined, wish: SceneWish | undefined): { built?: Built; problem?: string } {
  const large = !!s && !!wish && roughCount(s, wish) > IN_WORKER;
  const here = useMemo((): { built?: Built; problem?: string } => {
    if (!s || !wish || large) return {};
    try {
      return { built: { layers: buildLayers(s, wish), structure: s } };
    } catch (e) {
      return { problem: (e as Error).message };
    }
  }, [s, wish, large]);
  const turn = useRef(0);
  const [there, setThere] = useState<{ built?: Built; problem?: string }>({});
  useEffect(() => {
    if (!s || !wish || !large) return;
    const mine = ++turn.current;
    const building = run('scene', { structure: s, wish });
    building.result.then(
      (layers) => {
        if (mine === turn.current) setThere({ built: { layers, structure: s } });
      },
      (e: Error) => {
        if (mine === turn.current && e.name !== 'Cancelled') setThere({ problem: e.message });
      },
    );
    return () => building.cancel();
  }, [s, wish, large]);
  return large ? there : here;
}

/** Density is drawn around so many atoms at most. */
const MOST_AROUND = 600;

type SurfacePair = { excess: Surface; deficit: Surface };

/** Surfaces of the shown map around the atoms given, contoured in a worker; only the latest level counts. */
function useSurfaces(s: Structure | undefined, around: readonly AtomPrimitive[] | undefined): SurfacePair | undefined {
  const { level, showMap, preview, ghost } = useProject('level', 'showMap', 'preview', 'ghost');
  const own = useShownMap();
  const map = preview ? undefined : (ghost?.map ?? own);
  const [pair, setPair] = useState<SurfacePair | undefined>();
  const wanted = showMap && map && s && around?.length ? { map, s, around } : undefined;
  const { map: shown, s: structure, around: atoms } = wanted ?? {};
  useEffect(() => {
    if (!shown || !structure || !atoms) return;
    const near = atoms.slice(0, MOST_AROUND).map((x) => x.position);
    const region = regionAround(structure.cell, near, DENSITY_REACH);
    let contouring: ReturnType<typeof run<'contour'>> | undefined;
    const timer = setTimeout(() => {
      contouring = run('contour', {
        grid: shown.grid,
        values: shown.values,
        cell: structure.cell,
        region,
        level,
        around: Float32Array.from(near.flat()),
        reach: DENSITY_REACH,
      });
      contouring.result.then(setPair, () => undefined);
    }, 40);
    return () => {
      clearTimeout(timer);
      contouring?.cancel();
    };
  }, [shown, structure, atoms, level]);
  return wanted ? pair : undefined;
}

/** What is drawn translucent beside the model: a proposal, or the mark it is compared with. */
function useGhost(s: Structure | undefined, colours: SceneColours): GhostAtoms | undefined {
  const { ghost, compareWith } = useProject('ghost', 'compareWith');
  const compared = useMark(compareWith)?.structure;
  return useMemo(() => {
    if (ghost) return { positions: ghost.positions, elements: ghost.elements, colour: colours[ghost.colour] };
    // In other axes the atoms of another mark have no place here.
    if (!s || !compared || !sameAxes(compared, s)) return undefined;
    return {
      positions: compared.sites.map((x) => cartesian(s.cell, x.position)),
      elements: compared.sites.map((x) => x.element),
      groups: compared.sites.map((x) => (x.disorder ? `${x.disorder.assembly}.${x.disorder.group}` : '')),
      colour: colours.gold,
    };
  }, [ghost, compared, s, colours]);
}

/** Residual maxima above the level, and those that were chosen. */
function useMaxima(s: Structure | undefined, colours: SceneColours): readonly Layer[] {
  const { showMap, preview, result, level, peaks } = useProject('showMap', 'preview', 'result', 'level', 'peaks');
  const all = preview || !showMap ? undefined : result?.map?.peaks;
  return useMemo(() => {
    if (!s || !all) return NOTHING;
    const shown = all.filter((q, i) => i < 14 && (q.height >= level || peaks.includes(q.name)));
    return maximaLayers(s, shown, new Set(peaks), colours);
  }, [s, all, level, peaks, colours]);
}

/** Pinned measures with their values, and discs. */
function useMeasures(s: Structure | undefined, colours: SceneColours): readonly Layer[] {
  const { preview, looks, discs, lengths, result } = useProject('preview', 'looks', 'discs', 'lengths', 'result');
  const { pins } = looks;
  const covariance = result?.covariance;
  return useMemo(() => {
    if (!s || preview || (!pins.length && !discs.length && !lengths.length)) return NOTHING;
    const drawn = pins.map((pin) => ({ things: pin.things, text: shortReading(readPin(s, pin, covariance)) }));
    return measureLayers(s, [...drawn, ...lengths], discs, colours);
  }, [s, preview, pins, discs, lengths, covariance, colours]);
}

/** Spheres in empty space; of a preview too, since they are asked for where something is built. */
function usePores(s: Structure | undefined, colours: SceneColours): readonly Layer[] {
  const { pores } = useProject('pores');
  return useMemo(() => (s && pores.length ? poreLayers(s, pores, colours) : NOTHING), [s, pores, colours]);
}

const NO_CONTACTS: { layers: readonly Layer[]; open: readonly OpenEnd[] } = { layers: NOTHING, open: [] };

/** Contacts between what is drawn, and where they lead out of it. */
function useContacts(s: Structure | undefined, atoms: readonly AtomPrimitive[]): typeof NO_CONTACTS {
  const { contacts, preview } = useProject('contacts', 'preview');
  return useMemo(() => {
    const all = Object.values(contacts).flat();
    return s && !preview && all.length ? contactLayers(s, all, atoms) : NO_CONTACTS;
  }, [s, preview, contacts, atoms]);
}

/** What sheets add. */
function useExtras(): readonly Layer[] {
  const { extras, preview } = useProject('extras', 'preview');
  return useMemo(() => (preview ? NOTHING : Object.values(extras).flat()), [extras, preview]);
}

export interface SceneLayers {
  /** The structure the layers are of. */
  readonly structure: Structure | undefined;
  readonly layers: readonly Layer[];
  readonly atoms: readonly AtomPrimitive[];
  readonly colours: SceneColours;
  readonly problem: string | undefined;
  /** Of the atoms, how many are copies. */
  readonly copies: number;
  /** Contacts whose other end is not drawn. */
  readonly open: readonly OpenEnd[];
}

/** A value while it is looked at, and the last one that was while it is not. */
function useWhileShown<T>(value: T, shown: boolean): T {
  const [kept, setKept] = useState(value);
  if (shown && kept !== value) setKept(value);
  return shown ? value : kept;
}

/**
 * Everything in the scene of this tab. `aroundSelection` keeps density to the selected atoms; behind another pane (not
 * `shown`) the model stays as it was last seen, and nothing is built.
 */
export function useLayers(aroundSelection: boolean, shown: boolean): SceneLayers {
  const { head, preview, view, looks, growth, beside, around, hidden, selection, elements } = useProject(
    'head',
    'preview',
    'view',
    'looks',
    'growth',
    'beside',
    'around',
    'hidden',
    'selection',
    'elements',
  );
  const colours = useSceneColours();
  const wanted = useWhileShown(preview ?? head?.structure, shown);
  // A candidate that is only looked at is drawn as it is, not as the model was grown.
  const grown = preview ? undefined : growth;
  const wish = useMemo(
    () => wanted && sceneWish(wanted, { view, looks, growth: grown ?? [], around, hidden, beside }, colours),
    [wanted, view, looks, grown, around, hidden, beside, colours],
  );
  const { built, problem } = useModelLayers(wanted, wish);
  const structure = built?.structure;
  const model = built?.layers ?? NOTHING;
  const atoms = useMemo(() => itemsOf(model, 'atoms', 'model'), [model]);
  const chosen = useMemo(
    () => (structure ? selectionLayers(structure, atoms, selection, colours) : NOTHING),
    [structure, atoms, selection, colours],
  );
  const halos = itemsOf(chosen, 'halos');
  const surfaces = useSurfaces(structure, aroundSelection && halos.length ? halos : atoms);
  const density = useMemo(() => surfaces && densityLayer(surfaces, colours), [surfaces, colours]);
  const ghost = useGhost(structure, colours);
  const ghosts = useMemo(() => (ghost ? ghostLayers(ghost) : NOTHING), [ghost]);
  const symmetry = useMemo(
    () =>
      // Elements of another group say nothing of this model.
      structure && elements?.list.length && elements.hall === structure.spaceGroup.hall
        ? elementLayers(
            structure,
            elements.list,
            { labels: elements.labels, ...(elements.picked === undefined ? {} : { picked: elements.picked }) },
            colours,
          )
        : NOTHING,
    [structure, elements, colours],
  );
  const measures = useMeasures(structure, colours);
  const faces = useMemo(
    () =>
      structure && view.extent === 'block' && !grown?.length
        ? [faceLayer(structure.cell, view.block, colours)]
        : NOTHING,
    [structure, view.extent, view.block, grown, colours],
  );
  const maxima = useMaxima(structure, colours);
  const pores = usePores(structure, colours);
  const contacts = useContacts(structure, atoms);
  const extras = useExtras();
  const layers = useMemo(
    () => [
      ...model,
      ...chosen,
      ...measures,
      ...faces,
      ...ghosts,
      ...symmetry,
      ...maxima,
      ...pores,
      ...contacts.layers,
      ...extras,
      ...(density ? [density] : []),
    ],
    [model, chosen, measures, faces, ghosts, symmetry, maxima, pores, contacts, extras, density],
  );
  const copies = useMemo(
    () => atoms.filter((a) => a.ref.operator !== 0 || a.ref.shift.some((x) => x !== 0)).length,
    [atoms],
  );
  return { structure, layers, atoms, colours, problem, copies, open: contacts.open };
}
