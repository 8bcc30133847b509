/** Flat sections of the map through three atoms (or the best plane of more), alone or beside that of a mark before. */
import './section.scss';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { isSigned } from '@nagare/core/maps/residual';
import { siteOf } from '@nagare/core/crystal/atom-ref';
import type { Structure } from '@nagare/core/crystal/structure';
import type { SampledMap } from '@nagare/core/maps/sample';
import { NumberField } from '../frame/parts.tsx';
import { useTheme } from '../frame/theme.ts';
import { mapOfMark } from '../store/mark-map.ts';
import { nameOfMark } from '../store/marks.ts';
import { useProject, useProjectStore } from '../store/use-project.tsx';
import { paintSection, sectionFrame, type SectionLook } from './section-picture.ts';
import { useBeforeMarks } from './use-before-marks.ts';
import { useShownMap } from './use-map.ts';

export default function SectionPane(): ReactNode {
  const { head, selection, mapKind, level, setLevel, setPane } = useProject(
    'head',
    'selection',
    'mapKind',
    'level',
    'setLevel',
    'setPane',
  );
  const map = useShownMap();
  const [width, setWidth] = useState(9);
  const [height, setHeight] = useState(0);
  const s = head!.structure!;
  const chosen = useMemo(() => selection.filter((a) => siteOf(s, a)), [s, selection]);
  const frame = useMemo(() => sectionFrame(s, chosen), [s, chosen]);
  const step = isSigned(mapKind) ? level / 2 : level;
  const look = useMemo(() => (frame ? { frame, width, height, step } : undefined), [frame, width, height, step]);
  const { marks, beside, setBeside } = useBeforeMarks();
  return (
    <div className="section-pane">
      <header>
        <b>Section</b>
        <span className="soft">
          {chosen.length >= 3
            ? `through ${chosen
                .slice(0, 4)
                .map((a) => siteOf(s, a)!.label)
                .join(', ')}${chosen.length > 4 ? ' …' : ''}`
            : 'through the mean plane; select three atoms for another'}
        </span>
        <span className="flex-grow-1" />
        {marks.length > 0 && (
          <select
            aria-label="Beside it"
            className="form-select form-select-sm"
            value={beside ?? ''}
            onChange={(e) => setBeside(e.target.value)}
          >
            <option value="">alone</option>
            {marks.map((m) => (
              <option key={m.id} value={m.id}>
                beside {nameOfMark(m)}
              </option>
            ))}
          </select>
        )}
        <button className="word" onClick={() => setPane('crystal')}>
          Close
        </button>
      </header>
      {!map || !look ? (
        <p className="soft p-3">No map for this mark.</p>
      ) : (
        <div className={beside ? 'sections two' : 'sections'}>
          {beside && <SectionBefore markId={beside} look={look} />}
          <SectionFigure s={s} map={map} look={look} caption={beside ? nameOfMark(head!.mark) : undefined} />
        </div>
      )}
      <footer>
        <label htmlFor="sec-w">width</label>
        <NumberField id="sec-w" value={width} digits={1} step={0.5} min={2} max={40} unit="Å" onChange={setWidth} />
        <label htmlFor="sec-h">above</label>
        <NumberField id="sec-h" value={height} digits={2} step={0.1} unit="Å" onChange={setHeight} />
        <label htmlFor="sec-l">step</label>
        <NumberField
          id="sec-l"
          value={step}
          digits={2}
          step={0.05}
          min={0.02}
          unit="e Å⁻³"
          onChange={(v) => setLevel(isSigned(mapKind) ? 2 * v : v)}
        />
      </footer>
    </div>
  );
}

interface FigureProps {
  readonly s: Structure;
  readonly map: SampledMap;
  readonly look: SectionLook;
  readonly caption?: string | undefined;
}

function SectionFigure({ s, map, look, caption }: FigureProps): ReactNode {
  const host = useRef<HTMLCanvasElement>(null);
  const theme = useTheme();
  useEffect(() => {
    if (host.current) paintSection(host.current, s, map, look);
  }, [s, map, look, theme, caption]);
  return (
    <figure>
      <canvas ref={host} role="img" aria-label={`Contour lines of the section${caption ? `, ${caption}` : ''}`} />
      {caption && <figcaption>{caption}</figcaption>}
    </figure>
  );
}

/** The same section through the map of a mark before, at the same levels. */
function SectionBefore({ markId, look }: { markId: string; look: SectionLook }): ReactNode {
  const store = useProjectStore();
  const { marks, contentOf, mapKind } = useProject('marks', 'contentOf', 'mapKind');
  const { data, error } = useQuery({
    queryKey: ['section before', markId, mapKind],
    staleTime: Infinity,
    gcTime: 60_000,
    retry: false,
    queryFn: async () => {
      const content = await contentOf(markId);
      const map = await mapOfMark(store, markId, mapKind);
      return map && content?.kind === 'structure' ? { s: content.structure, map } : null;
    },
  });
  const mark = marks.find((m) => m.id === markId);
  if (error) return <p role="alert">{error.message}</p>;
  if (data === undefined) return <p className="soft p-3">Its density is worked out…</p>;
  if (!data || !mark) return <p className="soft p-3">That mark has no data of its space group.</p>;
  return <SectionFigure s={data.s} map={data.map} look={look} caption={nameOfMark(mark)} />;
}
