import { describe, expect, it } from 'vitest';
import { anodeLines, spacingAt, USUAL_INSTRUMENT, type Instrument, type Pattern } from '../crystal/pattern.ts';
import { seededRandom, type Random } from '../math/random.ts';
import { backgroundPoints, estimateBackground, findPeaks, fitPeaks, peakAt, typicalWidth } from './peaks.ts';
import { pseudoVoigt } from './profile.ts';

const DOUBLET: Instrument = { ...USUAL_INSTRUMENT, lines: anodeLines('Cu'), zero: 0 };
const SINGLE: Instrument = { ...USUAL_INSTRUMENT, lines: anodeLines('Cu', true), zero: 0 };

interface Line {
  readonly at: number;
  readonly area: number;
  readonly width?: number;
}

const ground = (x: number): number => 120 + 80 * Math.exp(-x / 30);

/** A pattern from 15 to 75° made of pseudo-Voigts (η 0.5), each with the lines of the spectrum, and counting noise. */
function measured(lines: readonly Line[], instrument: Instrument, random?: Random): Pattern {
  const count = 3001;
  const twoTheta = Float64Array.from({ length: count }, (_, i) => 15 + 0.02 * i);
  const intensity = twoTheta.map((x) => {
    let y = ground(x);
    for (const { at, area, width = 0.12 } of lines)
      for (const { wavelength, weight } of instrument.lines) {
        const sine = (Math.sin((at * Math.PI) / 360) * wavelength) / instrument.lines[0]!.wavelength;
        y += area * weight * pseudoVoigt(x - (360 / Math.PI) * Math.asin(sine), width, 0.5);
      }
    return random ? Math.max(0, Math.round(y + Math.sqrt(y) * random.normal())) : y;
  });
  const sigma = intensity.map((y) => Math.sqrt(Math.max(1, y)));
  return { name: 'made up', twoTheta, intensity, sigma } as Pattern;
}

const LINES: readonly Line[] = [
  { at: 21.3, area: 300 },
  { at: 28.44, area: 1200 },
  { at: 36.9, area: 90 },
  { at: 47.3, area: 800 },
  { at: 56.12, area: 450 },
  { at: 69.1, area: 250 },
];

describe('the background', () => {
  it('is followed under peaks within the noise', () => {
    const p = measured(LINES, DOUBLET, seededRandom(1));
    const b = estimateBackground(p);
    b.forEach((v, i) => {
      if (i > 50 && i < b.length - 50) expect(Math.abs(v / ground(p.twoTheta[i]!) - 1)).toBeLessThan(0.2);
    });
  });

  it('is offered as points from end to end', () => {
    const points = backgroundPoints(measured(LINES, DOUBLET), 12);
    expect(points).toHaveLength(12);
    expect([points[0]![0], points[11]![0]]).toEqual([15, 75]);
    for (const [x, y] of points.slice(1, -1)) expect(Math.abs(y / ground(x) - 1)).toBeLessThan(0.15);
  });
});

describe('peaks that are found', () => {
  it.each([
    ['a doublet', DOUBLET],
    ['one line', SINGLE],
  ])('are those that were planted, once each, with %s', (_, instrument) => {
    for (let seed = 1; seed <= 5; seed++) {
      const found = findPeaks(measured(LINES, instrument, seededRandom(seed)), instrument);
      expect(found.map((p) => Math.round(10 * p.position) / 10)).toEqual(LINES.map((l) => Math.round(10 * l.at) / 10));
    }
  });

  it('scatter about the truth as their s.u. say', () => {
    const pulls: Record<'position' | 'area' | 'width', number[]> = { position: [], area: [], width: [] };
    for (let seed = 1; seed <= 40; seed++)
      findPeaks(measured(LINES, SINGLE, seededRandom(100 + seed)), SINGLE).forEach((p, i) => {
        pulls.position.push((p.position - LINES[i]!.at) / p.positionSu);
        pulls.area.push((p.area - LINES[i]!.area) / p.areaSu);
        pulls.width.push((p.width - 0.12) / p.widthSu);
      });
    for (const [name, list] of Object.entries(pulls)) {
      const spread = Math.sqrt(list.reduce((s, x) => s + x * x, 0) / list.length);
      expect([name, spread > 0.7 && spread < 1.6]).toEqual([name, true]);
    }
  });

  it('give the spacing of the first line, the zero taken off', () => {
    const zero = 0.05;
    const instrument = { ...DOUBLET, zero };
    const shifted = LINES.map((l) => ({ ...l, at: l.at + zero }));
    findPeaks(measured(shifted, instrument), instrument).forEach((p, i) =>
      expect(p.d).toBeCloseTo(spacingAt(LINES[i]!.at, instrument.lines[0]!.wavelength), 3),
    );
  });

  it('are told apart where they overlap', () => {
    const pair = [
      { at: 40, area: 500 },
      { at: 40.16, area: 350 },
    ];
    const found = findPeaks(measured(pair, SINGLE, seededRandom(3)), SINGLE);
    expect(found).toHaveLength(2);
    found.forEach((p, i) => {
      expect(Math.abs(p.position - pair[i]!.at)).toBeLessThan(0.01);
      expect(Math.abs(p.area / pair[i]!.area - 1)).toBeLessThan(0.15);
    });
  });

  it('are none in noise, and none in too few points', () => {
    for (let seed = 1; seed <= 4; seed++)
      expect(findPeaks(measured([], SINGLE, seededRandom(seed)), SINGLE).length).toBeLessThanOrEqual(1);
    const short = { twoTheta: new Float64Array(10), intensity: new Float64Array(10), sigma: new Float64Array(10) };
    expect(findPeaks(short as Pattern, SINGLE)).toEqual([]);
  });

  it('have a usual width near that of the peaks', () => {
    for (const width of [0.1, 0.2, 0.4]) {
      const p = measured(
        LINES.map((l) => ({ ...l, width })),
        SINGLE,
        seededRandom(2),
      );
      const found = typicalWidth(p, estimateBackground(p));
      expect(found / width).toBeGreaterThan(0.6);
      expect(found / width).toBeLessThan(1.8);
    }
  });
});

describe('peaks at places given', () => {
  const p = measured(LINES, SINGLE, seededRandom(9));

  it('are put on the maximum nearby', () => {
    expect(peakAt(p, SINGLE, 47.34)!.position).toBeCloseTo(47.3, 1);
  });

  it('are left out where there is no area', () => {
    const flat = measured([], SINGLE);
    expect(fitPeaks(flat, estimateBackground(flat), [33], SINGLE, 0.12)).toEqual([]);
    expect(fitPeaks(p, estimateBackground(p), [15.02], SINGLE, 0.001)).toEqual([]);
  });

  it('come in order, whatever the order asked', () => {
    const found = fitPeaks(p, estimateBackground(p), [56.12, 28.44, 47.3], SINGLE, 0.12);
    expect(found.map((f) => Math.round(f.position))).toEqual([28, 47, 56]);
  });
});
