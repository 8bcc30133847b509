/** The crystal in three dimensions: orbit, pan, zoom, pick, box-pick, labels, residual surfaces. */
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { Link } from 'react-router';
import { axisVectors } from '@nagare/core/crystal/cell';
import { cartesian } from '@nagare/core/crystal/structure';
import { operatorKey } from '@nagare/core/crystal/operator';
import { followGrowth } from '@nagare/core/model/complete';
import { buildScene, type Extent } from '@nagare/core/draw/scene';
import { add, apply3, inverse3, subtract, turn, type Vec3 } from '@nagare/core/math/matrix3';
import { middle } from '@nagare/core/math/superpose';
import { orthogonalization } from '@nagare/core/crystal/cell';
import { elementShapes } from '@nagare/core/symmetry/elements';
import type { Structure } from '@nagare/core/crystal/structure';
import { run } from '../engine/engine.ts';
import { useSession, type Picked } from '../store/session.tsx';
import { sameAxes } from '@nagare/core/model/compare';
import { placeLabels, type LabelRequest } from './labels.ts';
import { useShownMap } from './use-map.ts';
import { ScenePainter, type Marker } from './painter.ts';

const samePick = (p: Picked, site: number, key: string): boolean =>
  p.site === site && operatorKey(p.operator) + p.operator.t.map((t) => Math.round(t)).join() === key;

/** A fractional vector as a Cartesian one. */
const vectorOf = (s: Structure, v: Vec3): Vec3 => apply3(orthogonalization(s.cell), v);

export default function SceneView(): ReactNode {
  const {
    project,
    head,
    marks,
    result: stored,
    ghost,
    setGhost,
    compareWith,
    mapKind,
    hidden,
    growth,
    setGrowth,
    elements,
    setElements,
    preview,
    selection,
    select,
    peaks,
    setPeaks,
    view,
    setView,
    level,
    setLevel,
    showMap,
    setShowMap,
  } = useSession();
  const host = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const overlay = useRef<HTMLCanvasElement>(null);
  const painter = useRef<ScenePainter | undefined>(undefined);
  const [box, setBox] = useState<{ x: number; y: number; w: number; h: number } | undefined>();
  const [boxMode, setBoxMode] = useState(false);
  const [labels, setLabels] = useState(true);
  const [aroundSelection, setAroundSelection] = useState(false);
  const ownMap = useShownMap();
  const shownMap = ghost?.map ?? ownMap;
  const [failed, setFailed] = useState<string | undefined>();
  const structure = preview ?? head?.structure;
  const result = preview ? undefined : stored;
  const scene = useMemo(
    () =>
      structure
        ? buildScene(structure, {
            ...view,
            hidden,
            ...(growth.length && !preview ? { grown: followGrowth(structure, growth).placed } : {}),
          })
        : undefined,
    [structure, view, hidden, growth, preview],
  );
  const keys = useMemo(
    () => scene?.atoms.map((a) => operatorKey(a.operator) + a.operator.t.map((t) => Math.round(t)).join()),
    [scene],
  );
  const selected = useMemo(
    () =>
      new Set(scene?.atoms.flatMap((a, i) => (selection.some((p) => samePick(p, a.site, keys![i]!)) ? [i] : [])) ?? []),
    [scene, keys, selection],
  );
  const markers = useMemo<Marker[]>(
    () =>
      showMap && structure
        ? (result?.map?.peaks ?? [])
            .filter((q, i) => i < 14 && (q.height >= level || peaks.includes(q.name)))
            .map((p) => ({ name: p.name, position: cartesian(structure.cell, p.position as Vec3) }))
        : [],
    [showMap, structure, result, level, peaks],
  );
  const hasScene = !!scene;
  const seen = useRef<string | undefined>(undefined);

  useEffect(() => {
    if (!canvas.current || !host.current) return;
    let p: ScenePainter;
    try {
      p = new ScenePainter(canvas.current);
    } catch {
      setFailed('This browser offers no WebGL, so the crystal cannot be drawn. Tables and files work all the same.');
      return;
    }
    painter.current = p;
    // A new canvas starts from no view of its own.
    seen.current = undefined;
    const watch = new ResizeObserver(([entry]) => {
      const { width, height } = entry!.contentRect;
      p.resize(width, height);
      if (overlay.current) {
        overlay.current.width = width * devicePixelRatio;
        overlay.current.height = height * devicePixelRatio;
      }
    });
    watch.observe(host.current);
    return () => {
      watch.disconnect();
      p.dispose();
      painter.current = undefined;
    };
  }, [hasScene]);

  // First sight of a structure: the flattest side towards the viewer.
  useEffect(() => {
    const p = painter.current;
    if (!p || !scene || !scene.atoms.length || seen.current === project.id) return;
    seen.current = project.id;
    void import('@nagare/core/draw/svg').then(({ bestView }) => {
      const v = bestView(scene);
      p.lookAlong([v[6], v[7], v[8]], [v[3], v[4], v[5]]);
      p.fit();
    });
  }, [scene, project.id]);

  useEffect(() => {
    const p = painter.current;
    if (!p || !scene) return;
    p.show(scene, selected, markers, new Set(peaks));
    p.onPaint = () => {
      const ctx = overlay.current?.getContext('2d');
      if (!ctx) return;
      ctx.setTransform(devicePixelRatio, 0, 0, devicePixelRatio, 0, 0);
      ctx.clearRect(0, 0, 1e4, 1e4);
      ctx.font = '500 12px "IBM Plex Sans"';
      ctx.textBaseline = 'middle';
      const style = getComputedStyle(document.documentElement);
      const requests: LabelRequest[] = [];
      const origin = p.project([0, 0, 0]);
      if (labels)
        scene.atoms.forEach((a, i) => {
          if ((a.element === 'H' || a.element === 'D' || !a.original) && !selected.has(i)) return;
          if (scene.atoms.length > 300 && !selected.has(i)) return;
          const s = p.project(a.position);
          requests.push({
            text: a.label,
            x: s.x,
            y: s.y,
            clear: Math.max(
              5,
              p.pixelsPerAngstrom * Math.max(...a.axes.map((v) => Math.hypot(v[0], v[1], v[2]))) * 0.9,
            ),
            weight: (selected.has(i) ? 1000 : 0) + s.depth,
          });
        });
      for (const m of markers) {
        const s = p.project(m.position);
        requests.push({ text: m.name, x: s.x, y: s.y, clear: 6, weight: 500 + s.depth });
      }
      if (elements?.labels && structure)
        for (const e of elements.list)
          for (const shape of elementShapes(e).slice(0, 2)) {
            const c = shape.points.length > 2 ? shape.points[0]! : shape.points.at(-1)!;
            const q = p.project(cartesian(structure.cell, c));
            requests.push({
              text: e.symbol,
              x: q.x,
              y: q.y,
              clear: 5,
              weight: e.words === elements.picked ? 3000 : 300,
            });
          }
      if (scene.lines.length && structure) {
        const [a, b, c] = axisVectors(structure.cell);
        for (const [name, v] of [
          ['a', a],
          ['b', b],
          ['c', c],
        ] as const) {
          const s = p.project([v[0] * 1.03, v[1] * 1.03, v[2] * 1.03]);
          requests.push({ text: name, x: s.x, y: s.y, clear: 2, weight: 2000 });
        }
        requests.push({ text: 'o', x: origin.x, y: origin.y, clear: 2, weight: 2000 });
      }
      const ink = style.getPropertyValue('--ink').trim(),
        paper = style.getPropertyValue('--scene').trim(),
        water = style.getPropertyValue('--water').trim();
      ctx.lineWidth = 3;
      ctx.lineJoin = 'round';
      for (const l of placeLabels(requests, (t) => ctx.measureText(t).width, 13)) {
        ctx.strokeStyle = paper;
        ctx.strokeText(l.text, l.x, l.y);
        ctx.fillStyle = l.text.startsWith('ρ') ? water : ink;
        ctx.fillText(l.text, l.x, l.y);
      }
    };
    p.invalidate();
  }, [scene, selected, markers, peaks, labels, structure, elements]);

  // What is chosen in a table or a plan comes out from under the edges and the inspector.
  useEffect(() => {
    const p = painter.current,
      last = selection.at(-1),
      pane = host.current;
    if (!p || !scene || !last || !pane || !keys) return;
    const i = scene.atoms.findIndex((a, k) => samePick(last, a.site, keys[k]!));
    if (i < 0) return;
    const { x, y } = p.project(scene.atoms[i]!.position),
      { clientWidth: w, clientHeight: h } = pane;
    if (x > 20 && x < w - 320 && y > 20 && y < h - 90) return;
    if (x >= w - 320 && x < w - 20 && y > 420 && y < h - 90) return;
    p.pan.x += Math.max(60, (w - 300) / 2) - x;
    p.pan.y += h / 2 - y;
    p.invalidate();
  }, [selection]);

  // A model that was moved (inverted, reassembled) comes back into view.
  const lastCentre = useRef<Vec3 | undefined>(undefined);
  useEffect(() => {
    if (!scene) return;
    const before = lastCentre.current;
    lastCentre.current = scene.centre;
    if (before && Math.hypot(...subtract(before, scene.centre)) > 1.5) painter.current?.fit();
  }, [scene]);

  const fitted = useRef('');
  useEffect(() => {
    const wish = `${view.extent}`;
    if (scene && fitted.current && fitted.current !== wish) painter.current?.fit();
    fitted.current = wish;
  }, [scene, view.extent]);

  // Another mark laid over this one, or atoms that are only proposed.
  useEffect(() => {
    const p = painter.current;
    if (!p || !structure) return;
    const compared = compareWith ? marks.find((m) => m.id === compareWith)?.structure : undefined;
    // In other axes the atoms of another mark have no place here.
    const other = compared && sameAxes(compared, structure) ? compared : undefined;
    const colours = getComputedStyle(document.documentElement);
    if (ghost)
      p.showGhost({
        positions: ghost.positions,
        elements: ghost.elements,
        colour: colours.getPropertyValue(ghost.colour === 'gold' ? '--gold' : '--water').trim(),
      });
    else if (other)
      p.showGhost({
        positions: other.sites.map((x) => cartesian(structure.cell, x.position)),
        elements: other.sites.map((x) => x.element),
        groups: other.sites.map((x) => (x.disorder ? `${x.disorder.assembly}.${x.disorder.group}` : '')),
        colour: colours.getPropertyValue('--gold').trim(),
      });
    else p.showGhost(undefined);
  }, [ghost, compareWith, marks, structure, scene]);

  const hadElements = useRef(false);
  // Symmetry elements of the cell, cut at its walls.
  useEffect(() => {
    const p = painter.current;
    if (!p || !structure) return;
    const shapes = (elements?.list ?? []).flatMap((e) =>
      elementShapes(e).map((shape) => ({
        element: e,
        picked: e.words === elements?.picked,
        points: shape.points.map((x) => cartesian(structure.cell, x)),
        glide: vectorOf(structure, e.glide),
      })),
    );
    p.showElements(shapes);
    // The cell comes into view with its elements, and is left alone after that.
    if (!!shapes.length !== hadElements.current) {
      hadElements.current = !!shapes.length;
      if (shapes.length) p.fit();
    }
  }, [elements, structure, scene]);

  /** Moves or turns the ghost by a screen vector (pixels). */
  const dragGhost = (dx: number, dy: number, turning: boolean): void => {
    const p = painter.current;
    if (!p) return;
    const [right, up] = p.screenAxes();
    const shift = p.screenShift(dx, dy);
    setGhost((g) => {
      if (!g) return g;
      if (!turning) return { ...g, positions: g.positions.map((x) => add(x, shift)) };
      const c = middle(g.positions);
      return {
        ...g,
        positions: g.positions.map((x) => add(c, turn(turn(subtract(x, c), up, dx * 0.01), right, dy * 0.01))),
      };
    });
  };

  // Contours are worked out in a worker; only the latest level counts.
  const wanted = useRef(0);
  useEffect(() => {
    const p = painter.current;
    const map = preview ? undefined : shownMap;
    if (!p || !scene || !structure) return;
    const turn = ++wanted.current;
    if (!showMap || !map) {
      p.showSurfaces(undefined);
      return;
    }
    const inverse = inverse3(orthogonalization(structure.cell));
    const near = scene.atoms.filter((_, i) => !aroundSelection || !selected.size || selected.has(i));
    const around = near.slice(0, 600).map((a) => a.position);
    const fractional = around.map((x) => apply3(inverse, x));
    const pad = [structure.cell.a, structure.cell.b, structure.cell.c].map((len) => 2.2 / len);
    const region = {
      min: [0, 1, 2].map((k) => Math.min(...fractional.map((f) => f[k]!)) - pad[k]!) as [number, number, number],
      max: [0, 1, 2].map((k) => Math.max(...fractional.map((f) => f[k]!)) + pad[k]!) as [number, number, number],
    };
    const timer = setTimeout(() => {
      run('contour', {
        grid: map.grid,
        values: map.values,
        cell: structure.cell,
        region,
        level,
        around: Float32Array.from(around.flat()),
        reach: 2.2,
      }).result.then(
        (pair) => {
          if (turn === wanted.current) painter.current?.showSurfaces(pair);
        },
        () => undefined,
      );
    }, 40);
    return () => clearTimeout(timer);
  }, [scene, structure, shownMap, preview, level, showMap, aroundSelection, selection]);

  const toggle = (index: number, add: boolean): void => {
    // While another mark is looked at, a pick would speak of the wrong model.
    if (!scene || (preview && head)) return;
    if (index < 0) {
      if (!add) select([]);
      if (!add) setPeaks([]);
      return;
    }
    const a = scene.atoms[index]!;
    const mine = selection.findIndex((p) => samePick(p, a.site, keys![index]!));
    if (mine >= 0) select(selection.filter((_, i) => i !== mine));
    // Picking goes on from the last atoms, so a chain of clicks measures.
    else
      select(
        add || selection.length < 4
          ? [...selection, { site: a.site, operator: a.operator }]
          : [{ site: a.site, operator: a.operator }],
      );
  };

  const pointer = useRef<{ x: number; y: number; moved: boolean; mode: 'orbit' | 'pan' | 'box' | 'ghost' } | undefined>(
    undefined,
  );
  const at = (e: React.PointerEvent): { x: number; y: number } => {
    const r = host.current!.getBoundingClientRect();
    return { x: e.clientX - r.left, y: e.clientY - r.top };
  };
  const look = (axis: 0 | 1 | 2): void => {
    if (!structure) return;
    const axes = axisVectors(structure.cell);
    painter.current?.lookAlong(axes[axis], axes[axis === 2 ? 1 : 2]);
    painter.current?.fit();
  };
  const key = (e: React.KeyboardEvent): void => {
    const p = painter.current;
    if (
      !p ||
      e.ctrlKey ||
      e.metaKey ||
      (e.target as HTMLElement).tagName === 'INPUT' ||
      (e.target as HTMLElement).tagName === 'SELECT'
    )
      return;
    const step = 0.12;
    if (ghost?.movable && e.shiftKey && e.key.startsWith('Arrow')) {
      e.preventDefault();
      const by = { ArrowLeft: [-4, 0], ArrowRight: [4, 0], ArrowUp: [0, -4], ArrowDown: [0, 4] }[e.key] as [
        number,
        number,
      ];
      dragGhost(by[0], by[1], ghost.movable === 'turn');
      return;
    }
    const acts: Record<string, () => void> = {
      ArrowLeft: () => p.orbit(-step, 0),
      ArrowRight: () => p.orbit(step, 0),
      ArrowUp: () => p.orbit(0, -step),
      ArrowDown: () => p.orbit(0, step),
      '+': () => {
        p.zoom *= 1.15;
        p.invalidate();
      },
      '=': () => {
        p.zoom *= 1.15;
        p.invalidate();
      },
      '-': () => {
        p.zoom /= 1.15;
        p.invalidate();
      },
      a: () => look(0),
      b: () => look(1),
      c: () => look(2),
      f: () => p.fit(),
      Escape: () => {
        if (ghost) setGhost(undefined);
        else select([]);
      },
      n: () => {
        if (scene?.atoms.length) {
          const last = selection.at(-1);
          const i = last ? scene.atoms.findIndex((x, j) => samePick(last, x.site, keys![j]!)) : -1;
          const x = scene.atoms[(i + 1) % scene.atoms.length]!;
          select([...(e.shiftKey ? selection : []), { site: x.site, operator: x.operator }]);
        }
      },
      N: () => acts['n']!(),
    };
    const act = acts[e.key];
    if (act) {
      e.preventDefault();
      act();
    }
  };

  if (failed)
    return (
      <div className="empty">
        <h3>No picture here</h3>
        <p>{failed}</p>
      </div>
    );
  if (!scene)
    return (
      <div className="empty">
        <h3>No model yet</h3>
        <p>
          The crystal appears here as soon as there is one: solve it from the intensities, or bring in a CIF with atom
          sites.
        </p>
        {!location.pathname.endsWith('/solve') && <Link to={`/projects/${project.id}/solve`}>Go to Solve</Link>}
      </div>
    );
  return (
    <div
      ref={host}
      className="scene-host"
      tabIndex={0}
      role="application"
      aria-label="Crystal. Arrow keys turn, plus and minus zoom, a b c look along the axes, f fits, n picks the next atom."
      onKeyDown={key}
      onPointerDown={(e) => {
        if ((e.target as HTMLElement).closest('.scene-tools')) return;
        e.currentTarget.setPointerCapture(e.pointerId);
        pointer.current = {
          ...at(e),
          moved: false,
          mode:
            ghost?.movable && painter.current?.pickGhost(at(e).x, at(e).y)
              ? 'ghost'
              : boxMode || e.altKey
                ? 'box'
                : e.button === 1 || e.button === 2 || e.shiftKey
                  ? 'pan'
                  : 'orbit',
        };
      }}
      onPointerMove={(e) => {
        const q = pointer.current,
          p = painter.current;
        if (!q || !p) return;
        const { x, y } = at(e);
        if (Math.hypot(x - q.x, y - q.y) < 3 && !q.moved) return;
        q.moved = true;
        if (q.mode === 'box')
          setBox({ x: Math.min(x, q.x), y: Math.min(y, q.y), w: Math.abs(x - q.x), h: Math.abs(y - q.y) });
        else {
          if (q.mode === 'ghost') dragGhost(x - q.x, y - q.y, ghost?.movable === 'turn' || e.shiftKey);
          else if (q.mode === 'pan') {
            p.pan.x += x - q.x;
            p.pan.y += y - q.y;
            p.invalidate();
          } else p.orbit((x - q.x) * 0.008, (y - q.y) * 0.008);
          q.x = x;
          q.y = y;
        }
      }}
      onPointerUp={(e) => {
        const q = pointer.current,
          p = painter.current;
        pointer.current = undefined;
        if (!q || !p) return;
        const { x, y } = at(e);
        if (!q.moved) {
          // A residual maximum under the pointer is chosen for the list, unless an atom is meant.
          const near = markers
            .map((m) => ({ m, s: p.project(m.position) }))
            .filter(({ s }) => Math.hypot(s.x - x, s.y - y) < 9)
            .sort((u, v) => v.s.depth - u.s.depth)[0];
          const index = p.pick(x, y);
          if (near && index < 0)
            setPeaks(peaks.includes(near.m.name) ? peaks.filter((n) => n !== near.m.name) : [...peaks, near.m.name]);
          else {
            const element = index < 0 && elements ? p.pickElement(x, y) : undefined;
            if (element && elements)
              setElements({
                ...elements,
                ...(element.words === elements.picked ? { picked: '' } : { picked: element.words }),
              });
            else toggle(index, e.shiftKey || e.ctrlKey);
          }
          return;
        }
        if (q.mode === 'box' && box) {
          const inside = scene.atoms.filter((a) => {
            const s = p.project(a.position);
            return s.x > box.x && s.x < box.x + box.w && s.y > box.y && s.y < box.y + box.h;
          });
          select(inside.map((a) => ({ site: a.site, operator: a.operator })));
          setBox(undefined);
          setBoxMode(false);
        }
      }}
      onContextMenu={(e) => e.preventDefault()}
      onWheel={(e) => {
        const p = painter.current;
        if (p) {
          p.zoom = Math.max(0.2, Math.min(30, p.zoom * Math.exp(-e.deltaY * 0.0012)));
          p.invalidate();
        }
      }}
    >
      <canvas ref={canvas} data-testid="scene-canvas" />
      <canvas ref={overlay} className="labels" />
      {box && <div className="box-pick" style={{ left: box.x, top: box.y, width: box.w, height: box.h }} />}
      <div className="scene-tools">
        <div>
          {(
            [
              ['unit', 'Asymmetric unit'],
              ['molecules', 'Molecules'],
              ['cell', 'Cell'],
            ] as [Extent, string][]
          ).map(([k, name]) => (
            <button
              key={k}
              className="word"
              aria-pressed={!growth.length && view.extent === k}
              onClick={() => {
                setGrowth([]);
                setView({ extent: k });
              }}
            >
              {name}
            </button>
          ))}
        </div>
        <div>
          <button
            className="word"
            aria-pressed={view.style === 'ellipsoids'}
            onClick={() => setView({ style: view.style === 'ellipsoids' ? 'balls' : 'ellipsoids' })}
          >
            Ellipsoids
          </button>
          {view.style === 'ellipsoids' && (
            <select
              aria-label="Probability of the ellipsoids"
              className="form-select form-select-sm border-0 py-0"
              style={{ width: 76 }}
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
            onClick={() => setView({ showHydrogen: !view.showHydrogen })}
          >
            H
          </button>
          <button className="word" aria-pressed={labels} onClick={() => setLabels(!labels)}>
            Labels
          </button>
          <button className="word" aria-pressed={view.showCell} onClick={() => setView({ showCell: !view.showCell })}>
            Axes
          </button>
        </div>
        <div>
          {(['a', 'b', 'c'] as const).map((n, i) => (
            <button key={n} className="word" title={`Look along ${n} (key ${n})`} onClick={() => look(i as 0 | 1 | 2)}>
              {n}
            </button>
          ))}
          <button className="word" title="Fit to the pane (key f)" onClick={() => painter.current?.fit()}>
            Fit
          </button>
          <button
            className="word"
            aria-pressed={boxMode}
            title="Drag a box around atoms (or hold Alt)"
            onClick={() => setBoxMode(!boxMode)}
          >
            Box
          </button>
        </div>
        {result?.map && (
          <div>
            <button className="word" aria-pressed={showMap} onClick={() => setShowMap(!showMap)}>
              {mapKind === 'difference'
                ? 'Residual density'
                : mapKind === 'observed'
                  ? 'Fo density'
                  : '2Fo − Fc density'}
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
                  style={{ width: 90 }}
                />
                <span className="mono px-1">±{level.toFixed(2)} e/Å³</span>
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
        )}
      </div>
    </div>
  );
}
