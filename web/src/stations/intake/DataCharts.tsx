/** Shells of resolution and the cumulative intensity distribution. */
import {
  CategoryScale,
  Chart,
  Legend,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  Tooltip,
} from 'chart.js';
import type { ReactNode } from 'react';
import '../../frame/chart-look.ts';
import { useTheme } from '../../frame/theme.ts';
import { Line } from 'react-chartjs-2';
import { THEORETICAL_NZ } from '@nagare/core/data/intensity-statistics';
import type { MergeTaskResult } from '@nagare/core/tasks/intake-tasks';

Chart.register(CategoryScale, LinearScale, LineController, LineElement, PointElement, Tooltip, Legend);

export default function DataCharts({ merge }: { merge: MergeTaskResult }): ReactNode {
  const theme = useTheme();
  const css = getComputedStyle(document.documentElement);
  const ink = (name: string): string => css.getPropertyValue(name).trim();
  const { shells } = merge.statistics;
  const labels = shells.map((s) => s.dMin.toFixed(2));
  const line = (label: string, data: (number | null)[], colour: string, dash: number[] = []): object => ({
    label,
    data,
    borderColor: ink(colour),
    backgroundColor: ink(colour),
    borderWidth: 2,
    borderDash: dash,
    pointRadius: dash.length ? 0 : 3,
    tension: 0.25,
    // Points at an end of the scale stay whole.
    clip: 6,
  });
  const finite = (x: number, k = 1): number | null => (Number.isFinite(x) ? k * x : null);
  const options = (y: string, more: object = {}, x = 'resolution limit of the shell, Å'): object => ({
    maintainAspectRatio: false,
    interaction: { mode: 'index', intersect: false },
    plugins: { legend: { position: 'top', align: 'end', labels: { boxWidth: 18, boxHeight: 1 } } },
    scales: {
      x: { title: { display: true, text: x }, grid: { display: false } },
      y: { title: { display: true, text: y }, beginAtZero: true, ...more },
    },
  });
  const z = ['0', ...Array.from({ length: 10 }, (_, i) => ((i + 1) / 10).toFixed(1))];
  return (
    <div className="panes" key={theme} role="region" aria-label="Plots of the data" tabIndex={0}>
      <figure>
        <figcaption>Strength</figcaption>
        <div className="plot">
          <Line
            aria-label="Mean I over σ in each shell of resolution"
            data={{
              labels,
              datasets: [
                line(
                  'mean I/σ',
                  shells.map((s) => finite(s.meanIOverSigma)),
                  '--indigo',
                ),
              ] as never,
            }}
            options={options('I/σ')}
          />
        </div>
      </figure>
      <figure>
        <figcaption>Completeness</figcaption>
        <div className="plot">
          <Line
            aria-label="Completeness of each shell"
            data={{
              labels,
              datasets: [
                line(
                  'complete',
                  shells.map((s) => finite(s.completeness, 100)),
                  '--pine',
                ),
              ] as never,
            }}
            options={options('%', { max: 100, beginAtZero: false, suggestedMin: 80 })}
          />
        </div>
      </figure>
      <figure>
        <figcaption>Agreement of equivalents</figcaption>
        <div className="plot">
          <Line
            aria-label="Agreement of equivalents in each shell"
            data={{
              labels,
              datasets: [
                line(
                  'R_int',
                  shells.map((s) => finite(s.rInt, 100)),
                  '--gold',
                ),
                line(
                  'CC½',
                  shells.map((s) => finite(s.ccHalf, 100)),
                  '--water',
                ),
              ] as never,
            }}
            options={options('%', { max: 100 })}
          />
        </div>
      </figure>
      <figure>
        <figcaption>Distribution of intensities N(z)</figcaption>
        <div className="plot">
          <Line
            aria-label="Cumulative distribution of intensities"
            data={{
              labels: z,
              datasets: [
                line('observed', [0, ...merge.reading.nz], '--indigo'),
                line('acentric', [0, ...THEORETICAL_NZ.acentric], '--soft', [6, 4]),
                line('centric', [0, ...THEORETICAL_NZ.centric], '--gold', [2, 3]),
              ] as never,
            }}
            options={options('fraction below z', { max: 0.8 }, 'z = I / mean I')}
          />
        </div>
      </figure>
      <figure className="wide sheet p-3">
        <figcaption>Shells</figcaption>
        <table>
          <thead>
            <tr>
              {['from, Å', 'to, Å', 'measured', 'unique', 'possible', 'complete', 'I/σ', 'R_int', 'R_meas', 'CC½'].map(
                (h) => (
                  <th key={h} className="n">
                    {h}
                  </th>
                ),
              )}
            </tr>
          </thead>
          <tbody>
            {shells.map((s, i) => (
              <tr key={i}>
                {[
                  s.dMax.toFixed(2),
                  s.dMin.toFixed(2),
                  s.measured,
                  s.unique,
                  s.possible,
                  `${(100 * s.completeness).toFixed(1)} %`,
                  s.meanIOverSigma.toFixed(1),
                  `${(100 * s.rInt).toFixed(1)} %`,
                  `${(100 * s.rMeas).toFixed(1)} %`,
                  s.ccHalf.toFixed(3),
                ].map((v, j) => (
                  <td key={j} className="n">
                    {Number.isNaN(s.rInt) && j > 6 ? '–' : v}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </figure>
    </div>
  );
}
