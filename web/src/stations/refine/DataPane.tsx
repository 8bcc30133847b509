/** Plots that judge the data against the model; a point is a reflection: click it to see it, leave it out with a reason, or put it back. */
import { NO_TREATMENT } from '../../store/marks.ts';
import {
  CategoryScale,
  Chart,
  Legend,
  LinearScale,
  LineController,
  LineElement,
  LogarithmicScale,
  PointElement,
  ScatterController,
  Tooltip,
} from 'chart.js';
import { useQuery } from '@tanstack/react-query';
import { useMemo, useRef, useState, type ReactNode } from 'react';
import { Scatter } from 'react-chartjs-2';
import type { PlotData } from '@nagare/core/refine/data-plots';
import { run } from '../../engine/engine.ts';
import '../../frame/chart-look.ts';
import { useTheme } from '../../frame/theme.ts';
import { inAxesOf } from '../../store/mark-data.ts';
import { useProject, useEdit } from '../../store/use-project.tsx';
import { useExperiment } from './use-experiment.ts';
import { PickRow } from '../../frame/parts.tsx';

Chart.register(
  CategoryScale,
  LinearScale,
  LogarithmicScale,
  LineController,
  LineElement,
  PointElement,
  ScatterController,
  Tooltip,
  Legend,
);

/** Every reflection far off, and a thinned cloud of the rest: a plot needs no ten thousand points. */
function thinned(data: PlotData): number[] {
  const keep: number[] = [];
  const every = Math.max(1, Math.floor(data.fo.length / 2500));
  for (let i = 0; i < data.fo.length; i++) if (Math.abs(data.delta[i]!) > 3 || i % every === 0) keep.push(i);
  return keep;
}

export default function DataPane(): ReactNode {
  const { head, intake, setPane } = useProject('head', 'intake', 'setPane');
  const edit = useEdit();
  const t = head?.treatment ?? NO_TREATMENT;
  const input = useExperiment();
  const [chosen, setChosen] = useState<number | undefined>();
  const [reason, setReason] = useState('beam stop');
  const query = useQuery({
    queryKey: ['plots', head?.id],
    enabled: !!input,
    staleTime: Infinity,
    gcTime: 60_000,
    queryFn: async () => {
      const batches = intake?.raw.batch ? { raw: await inAxesOf(intake.raw, head!) } : {};
      return run('plots', { ...input!, goodness: head?.readings?.s ?? 1, ...batches }).result;
    },
  });
  const data = query.data;
  const hkl = data && chosen !== undefined ? ([data.h[chosen]!, data.k[chosen]!, data.l[chosen]!] as const) : undefined;
  const { data: equivalents = [] } = useQuery({
    queryKey: ['observations', head?.id, hkl?.join()],
    enabled: !!hkl && !!intake && !!head?.structure,
    staleTime: Infinity,
    gcTime: 60_000,
    queryFn: async () =>
      run('observations', {
        raw: await inAxesOf(intake!.raw, head!),
        group: head!.structure!.spaceGroup,
        hkl: hkl!,
      }).result,
  });
  const shown = useMemo(() => (data ? thinned(data) : []), [data]);
  const theme = useTheme();
  const css = getComputedStyle(document.documentElement),
    ink = (n: string): string => css.getPropertyValue(n).trim();
  const limit = useRef<HTMLInputElement>(null);
  if (!input)
    return (
      <div className="empty">
        <h3>No data for this model</h3>
        <p>The plots compare a model with its intensities.</p>
      </div>
    );
  if (!data) return <div className="empty">Working out every reflection…</div>;
  const options = (x: string, y: string, more: object = {}): object => ({
    maintainAspectRatio: false,
    plugins: {
      legend: { display: false },
      tooltip: {
        callbacks: {
          label: (c: { raw: { i?: number } }) =>
            c.raw.i === undefined ? '' : `${data.h[c.raw.i]} ${data.k[c.raw.i]} ${data.l[c.raw.i]}`,
        },
      },
    },
    scales: {
      x: { type: 'linear', title: { display: true, text: x } },
      y: { title: { display: true, text: y } },
      ...more,
    },
    onClick: (
      _e: unknown,
      found: { datasetIndex: number; index: number; element: { $context?: { raw?: { i?: number } } } }[],
    ) => {
      const i = found[0]?.element.$context?.raw?.i;
      if (i !== undefined) setChosen(i);
    },
  });
  const cloud = (f: (i: number) => { x: number; y: number }): object => ({
    datasets: [
      {
        data: shown.filter((i) => Math.abs(data.delta[i]!) <= 4).map((i) => ({ ...f(i), i })),
        backgroundColor: ink('--indigo'),
        pointRadius: 1.6,
      },
      {
        data: shown.filter((i) => Math.abs(data.delta[i]!) > 4).map((i) => ({ ...f(i), i })),
        backgroundColor: ink('--vermilion'),
        pointRadius: 3.5,
        pointStyle: 'rectRot',
      },
      ...(chosen !== undefined
        ? [
            {
              data: [{ ...f(chosen), i: chosen }],
              borderColor: ink('--gold'),
              borderWidth: 2,
              backgroundColor: 'transparent',
              pointRadius: 7,
            },
          ]
        : []),
    ],
  });
  const line = (points: { x: number; y: number }[], colour: string, label = ''): object => ({
    label,
    data: points,
    showLine: true,
    borderColor: ink(colour),
    backgroundColor: ink(colour),
    borderWidth: 2,
    pointRadius: 3,
  });
  const worst = Array.from(data.delta, (v, i) => ({ i, v: Math.abs(v) }))
    .sort((a, b) => b.v - a.v)
    .slice(0, 10);
  const c = chosen;
  const top = Math.max(...data.fo);
  return (
    <div className="panes data-panes" role="region" aria-label="Plots of the data" tabIndex={0}>
      <header className="wide d-flex align-items-center gap-3">
        <b>Data against model</b>
        <span className="soft">
          {data.fo.length} reflections; {Array.from(data.delta).filter((v) => Math.abs(v) > 4).length} differ by more
          than 4 s.u.
        </span>
        <span className="flex-grow-1" />
        <button className="word" onClick={() => setPane('crystal')}>
          Back to the crystal
        </button>
      </header>
      {c !== undefined && (
        <section className="wide chosen-reflection" aria-label="Reflection">
          <b className="mono">
            {data.h[c]} {data.k[c]} {data.l[c]}
          </b>
          <span>
            Fo {data.fo[c]!.toFixed(2)}, Fc {data.fc[c]!.toFixed(2)}, {data.delta[c]!.toFixed(1)} s.u. off,{' '}
            {data.d[c]!.toFixed(2)} Å, I/σ {data.iOverSigma[c]!.toFixed(1)}
          </span>
          <span className="soft">
            measured as{' '}
            {equivalents.length
              ? equivalents
                  .slice(0, 8)
                  .map((e) => `${e.h} ${e.k} ${e.l}: ${e.intensity.toFixed(1)}(${e.sigma.toFixed(1)})`)
                  .join('; ')
              : 'one value of a merged list'}
          </span>
          <span className="d-flex gap-1 align-items-center">
            <label htmlFor="why-out" className="soft">
              reason
            </label>
            <input
              id="why-out"
              className="form-control form-control-sm w-20ch"
              value={reason}
              onChange={(e) => setReason(e.target.value)}
            />
            <button
              className="word off"
              disabled={!reason.trim()}
              onClick={() => {
                void edit(head!.structure!, `${data.h[c]} ${data.k[c]} ${data.l[c]} left out: ${reason}`, {
                  ...t,
                  excluded: [...(t.excluded ?? []), { h: data.h[c]!, k: data.k[c]!, l: data.l[c]!, reason }],
                });
                setChosen(undefined);
              }}
            >
              Leave it out
            </button>
            <button className="word" onClick={() => setChosen(undefined)}>
              Close
            </button>
          </span>
        </section>
      )}
      <figure>
        <figcaption>Fo against Fc</figcaption>
        <div className="plot">
          <Scatter
            key={theme}
            aria-label="Fo against Fc"
            data={
              {
                datasets: [
                  ...(cloud((i) => ({ x: data.fc[i]!, y: data.fo[i]! })) as { datasets: object[] }).datasets,
                  {
                    data: [
                      { x: 0, y: 0 },
                      { x: top, y: top },
                    ],
                    showLine: true,
                    borderColor: ink('--soft'),
                    borderWidth: 1,
                    pointRadius: 0,
                  },
                ],
              } as never
            }
            options={options('Fc, e', 'Fo, e') as never}
          />
        </div>
      </figure>
      <figure>
        <figcaption>R1 and I/σ against resolution</figcaption>
        <div className="plot">
          <Scatter
            key={theme}
            aria-label="R1 and I over σ against resolution"
            data={
              {
                datasets: [
                  line(
                    data.shells.map((x) => ({ x: 1 / (2 * x.dMin), y: 100 * x.r1 })),
                    '--gold',
                    'R1, %',
                  ),
                  line(
                    data.shells.map((x) => ({ x: 1 / (2 * x.dMin), y: x.iOverSigma })),
                    '--indigo',
                    'mean I/σ',
                  ),
                ],
              } as never
            }
            options={
              {
                ...options('sin θ/λ, Å⁻¹', ''),
                plugins: {
                  legend: { display: true, position: 'top', align: 'end', labels: { boxWidth: 14, boxHeight: 1 } },
                },
                onClick: (_e: unknown, f: { index: number }[]) => {
                  const shell = f[0] && data.shells[f[0].index];
                  if (shell && limit.current) {
                    limit.current.value = shell.dMin.toFixed(2);
                    limit.current.focus();
                  }
                },
              } as never
            }
          />
        </div>
        <div className="d-flex gap-2 align-items-center mt-1">
          <label className="soft" htmlFor="limit">
            leave out beyond
          </label>
          <input
            id="limit"
            ref={limit}
            className="form-control form-control-sm mono w-9ch"
            defaultValue={t.dMin?.toFixed(2) ?? ''}
            placeholder="click a point"
          />
          <span className="soft">Å</span>
          <button
            className="word"
            onClick={() => {
              const v = Number(limit.current?.value);
              if (v > 0.3 && v < 5) void edit(head!.structure!, `data to ${v.toFixed(2)} Å`, { ...t, dMin: v });
            }}
          >
            Set
          </button>
        </div>
      </figure>
      <figure>
        <figcaption>Normal probability</figcaption>
        <div className="plot">
          <Scatter
            key={theme}
            aria-label="Normal probability"
            data={
              {
                datasets: [
                  ...(cloud((i) => ({ x: data.expected[i]!, y: data.delta[i]! })) as { datasets: object[] }).datasets,
                  {
                    data: [
                      { x: -4, y: -4 },
                      { x: 4, y: 4 },
                    ],
                    showLine: true,
                    borderColor: ink('--soft'),
                    borderWidth: 1,
                    pointRadius: 0,
                  },
                ],
              } as never
            }
            options={options('expected', 'found') as never}
          />
        </div>
      </figure>
      <figure>
        <figcaption>Weighted difference against intensity</figcaption>
        <div className="plot">
          <Scatter
            key={theme}
            aria-label="Weighted difference against intensity"
            data={cloud((i) => ({ x: Math.max(0.1, data.fc[i]! ** 2), y: data.delta[i]! })) as never}
            options={
              options('Fc²', '√w ΔF²/S', { x: { type: 'logarithmic', title: { display: true, text: 'Fc²' } } }) as never
            }
          />
        </div>
      </figure>
      <figure>
        <figcaption>Analysis of variance</figcaption>
        <table>
          <thead>
            <tr>
              <th className="n">Fc to</th>
              <th className="n">reflections</th>
              <th className="n">mean wΔ²</th>
            </tr>
          </thead>
          <tbody>
            {data.variance.map((v, i) => (
              <tr key={i}>
                <td className="n">{v.fc.toFixed(1)}</td>
                <td className="n">{v.count}</td>
                <td className={`n${v.mean > 2 || v.mean < 0.5 ? ' off' : ''}`}>{v.mean.toFixed(2)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </figure>
      {data.batches.length > 1 && (
        <figure>
          <figcaption>Scale by batch</figcaption>
          <div className="plot">
            <Scatter
              key={theme}
              aria-label="Scale of the batches"
              data={
                {
                  datasets: [
                    line(
                      data.batches.map((b) => ({ x: b.batch, y: b.scale })),
                      '--pine',
                    ),
                  ],
                } as never
              }
              options={options('batch', 'I observed / calculated') as never}
            />
          </div>
        </figure>
      )}
      <figure>
        <figcaption>Farthest off</figcaption>
        <table>
          <thead>
            <tr>
              <th>h k l</th>
              <th className="n">Fo</th>
              <th className="n">Fc</th>
              <th className="n">s.u.</th>
              <th className="n">d, Å</th>
            </tr>
          </thead>
          <tbody>
            {worst.map(({ i }) => (
              <PickRow key={i} chosen={chosen === i} onPick={() => setChosen(i)}>
                <td className="mono">
                  {data.h[i]} {data.k[i]} {data.l[i]}
                </td>
                <td className="n">{data.fo[i]!.toFixed(1)}</td>
                <td className="n">{data.fc[i]!.toFixed(1)}</td>
                <td className="n">{data.delta[i]!.toFixed(1)}</td>
                <td className="n">{data.d[i]!.toFixed(2)}</td>
              </PickRow>
            ))}
          </tbody>
        </table>
      </figure>
    </div>
  );
}
