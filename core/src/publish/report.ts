/** A report as one self-contained HTML: picture, figures, plots, findings, tables. Prints well. */
import { experiment } from '../crystal/experiment.ts';
import { buildScene } from '../draw/build-scene.ts';
import { paintSvg } from '../draw/svg.ts';
import { prettySymbol } from '../crystal/settings.ts';
import { formulaText } from '../crystal/formula.ts';
import { decimal } from '../math/decimal.ts';
import { evaluateStructure } from '../refine/single-crystal-problem.ts';
import { experimentalSentence } from './sentence.ts';
import { formulaUnits, type CifInput } from './structure-cif.ts';
import { escapeHtml, makeTable, TABLE_KINDS, tableHtml, type TableOptions } from './tables.ts';

/** A finding as the report shows it. */
export interface ReportFinding {
  readonly severity: string;
  readonly title: string;
  readonly detail: string;
  readonly explanation?: string;
}

export interface ReportInput extends CifInput {
  findings: readonly ReportFinding[];
  tables?: TableOptions;
  /** Experimental section as edited; told anew where it is missing. */
  sentence?: string;
}

const STYLE = `body{font:14px/1.5 'IBM Plex Sans',system-ui,sans-serif;color:#1F2A33;max-width:960px;margin:32px auto;padding:0 24px}h1{font-size:26px;margin:0}h2{font-size:17px;border-bottom:1px solid #D9D4C7;padding-bottom:4px;margin-top:34px}table{border-collapse:collapse;margin:18px 0;font-size:12.5px}caption{text-align:left;font-weight:600;padding-bottom:4px}td,th{padding:2px 12px 2px 0;text-align:left;vertical-align:top}thead th{border-bottom:1px solid #1F2A33}tbody tr:last-child td{border-bottom:1px solid #1F2A33}tfoot td{color:#5A6570;font-size:11.5px}.figures{display:flex;flex-wrap:wrap;gap:10px 34px;margin:14px 0}.figures b{display:block;font-size:19px}.figures span{color:#5A6570}.two{display:grid;grid-template-columns:1fr 1fr;gap:20px}.severity{font-weight:600}.mended{color:#C8452B}p.soft{color:#5A6570}@media print{body{margin:0;max-width:none}h2{break-after:avoid}table,svg{break-inside:avoid}}`;

/** Axes and points of a plot as SVG. */
function plot(
  title: string,
  xName: string,
  yName: string,
  points: readonly (readonly [number, number])[],
  options: { diagonal?: boolean; bars?: boolean } = {},
): string {
  const w = 430,
    h = 290,
    left = 54,
    bottom = 40,
    top = 26,
    right = 12;
  if (!points.length) return '';
  const xs = points.map((p) => p[0]),
    ys = points.map((p) => p[1]);
  const max = (v: readonly number[]): number => v.reduce((m, x) => Math.max(m, x), -Infinity),
    min = (v: readonly number[]): number => v.reduce((m, x) => Math.min(m, x), Infinity);
  const x0 = options.diagonal ? 0 : min(xs),
    x1 = max(xs) || 1,
    y0 = options.diagonal || options.bars ? 0 : min(ys),
    y1 = (options.diagonal ? Math.max(max(ys), x1) : max(ys)) || 1;
  const X = (x: number): number => left + ((x - x0) / (x1 - x0 || 1)) * (w - left - right),
    Y = (y: number): number => h - bottom - ((y - y0) / (y1 - y0 || 1)) * (h - bottom - top);
  const ticks = (a: number, b: number): number[] => {
    const step = 10 ** Math.floor(Math.log10((b - a) / 3 || 1));
    const k = (b - a) / step > 8 ? 2 * step : step;
    const out: number[] = [];
    for (let t = Math.ceil(a / k) * k; t <= b + 1e-9 && out.length < 9; t += (b - a) / k > 9 ? 2 * k : k) out.push(t);
    return out;
  };
  const text = (x: number, y: number, t: string, anchor = 'middle'): string =>
    `<text x="${x.toFixed(1)}" y="${y.toFixed(1)}" font-size="11" text-anchor="${anchor}" fill="#5A6570">${escapeHtml(t)}</text>`;
  const short = (v: number): string => String(Number(v.toPrecision(3)));
  const width = options.bars ? ((w - left - right) / points.length) * 0.8 : 0;
  const marks = options.bars
    ? points.map(
        ([x, y]) =>
          `<rect x="${(X(x) - width / 2).toFixed(1)}" y="${Y(y).toFixed(1)}" width="${width.toFixed(1)}" height="${(h - bottom - Y(y)).toFixed(1)}" fill="#2B7F8C"/>`,
      )
    : points.map(
        ([x, y]) =>
          `<circle cx="${X(x).toFixed(1)}" cy="${Y(y).toFixed(1)}" r="1.4" fill="#23456B" fill-opacity=".55"/>`,
      );
  return `<svg viewBox="0 0 ${w} ${h}" width="${w}" height="${h}" role="img" aria-label="${escapeHtml(title)}"><text x="${left}" y="15" font-size="12.5" font-weight="600" fill="#1F2A33">${escapeHtml(title)}</text><path d="M${left} ${top}V${h - bottom}H${w - right}" fill="none" stroke="#1F2A33"/>${ticks(
    x0,
    x1,
  )
    .map((t) => text(X(t), h - bottom + 15, short(t)))
    .join('')}${ticks(y0, y1)
    .map((t) => text(left - 6, Y(t) + 4, short(t), 'end'))
    .join(
      '',
    )}${options.diagonal ? `<path d="M${X(0)} ${Y(0)}L${X(Math.min(x1, y1)).toFixed(1)} ${Y(Math.min(x1, y1)).toFixed(1)}" stroke="#C8452B" stroke-width="1" fill="none"/>` : ''}${marks.join('')}${text((left + w - right) / 2, h - 6, xName)}<text transform="translate(13 ${(h - bottom + top) / 2}) rotate(-90)" font-size="11" text-anchor="middle" fill="#5A6570">${escapeHtml(yName)}</text></svg>`;
}

/** The report as text of an HTML file. */
export function reportHtml(input: ReportInput): string {
  const { structure: s, experiment: e, wavelength, readings: r, statistics: m } = input;
  const { z, formula } = formulaUnits(s, e);
  const frame = { width: 640, height: 380 };
  const picture = paintSvg(buildScene(s, { extent: { kind: 'unique' } }, frame), frame);
  const figure = (value: string | undefined, name: string): string =>
    value ? `<div><b>${escapeHtml(value)}</b><span>${escapeHtml(name)}</span></div>` : '';
  const plots: string[] = [];
  if (input.reflections && wavelength && s.sites.length) {
    const { data } = evaluateStructure(
      experiment(s, input.reflections, wavelength, {
        weights: r?.weights,
        extinction: r?.extinction?.value,
        treatment: input.treatment,
      }),
    );
    const step = Math.max(1, Math.floor(data.fo2.length / 2500));
    const points: [number, number][] = [];
    for (let i = 0; i < data.fo2.length; i += step)
      points.push([Math.sqrt(Math.max(0, data.fc2[i]!)), Math.sqrt(Math.max(0, data.fo2[i]!))]);
    plots.push(plot('Observed against calculated', '|Fc|', '|Fo|', points, { diagonal: true }));
  }
  if (m)
    plots.push(
      plot(
        'Completeness by resolution',
        'd, Å (shell)',
        '%',
        m.shells.map((x, i): [number, number] => [i, 100 * x.completeness]),
        { bars: true },
      ),
      plot(
        'I/σ by resolution',
        'shell, outer to the right',
        '⟨I/σ⟩',
        m.shells.map((x, i): [number, number] => [i, x.meanIOverSigma]),
        { bars: true },
      ),
    );
  const name = e.kept['_chemical_name_systematic'] ?? e.kept['_chemical_name_common'] ?? input.name;
  const tables = TABLE_KINDS.map((k) => makeTable(k, input, input.tables)).filter((t) => t.rows.length);
  return `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>${escapeHtml(name)}: structure report</title><style>${STYLE}</style></head><body>
<h1>${escapeHtml(name)}</h1><p class="soft">${escapeHtml(formulaText(formula))}, Z ${z}, ${escapeHtml(prettySymbol(s.spaceGroup.symbol))}. Written by Nagare on ${escapeHtml(input.date.slice(0, 10))}.</p>
${picture}
<div class="figures">${figure(r && `${(100 * r.r1).toFixed(2)} %`, 'R1')}${figure(r && `${(100 * r.wr2).toFixed(2)} %`, 'wR2')}${figure(r?.s.toFixed(3), 'S')}${figure(r?.maxShiftOverSu.toFixed(3), 'largest shift/s.u.')}${figure(input.residual && `${input.residual.peak.toFixed(2)} / ${decimal(input.residual.hole, 2)}`, 'residual density, e Å⁻³')}${figure(m && `${(100 * m.completeness).toFixed(1)} %`, 'complete')}${figure(m && Number.isFinite(m.rInt) ? `${(100 * m.rInt).toFixed(2)} %` : undefined, 'R_int')}</div>
<h2>How it was done</h2><p>${escapeHtml(input.sentence ?? experimentalSentence(input)) || 'Nothing is on record.'}</p>
${plots.length ? `<h2>Plots</h2><div class="two">${plots.join('')}</div>` : ''}
<h2>Findings</h2>${input.findings.length ? `<ul>${input.findings.map((f) => `<li><span class="severity${f.severity === 'must be mended' ? ' mended' : ''}">${escapeHtml(f.severity)}</span>: ${escapeHtml(f.title)}. <span class="soft">${escapeHtml(f.detail)}</span>${f.explanation ? ` <em>${escapeHtml(f.explanation)}</em>` : ''}</li>`).join('')}</ul>` : '<p>None.</p>'}
<h2>Tables</h2>${tables.map(tableHtml).join('\n')}
</body></html>
`;
}
