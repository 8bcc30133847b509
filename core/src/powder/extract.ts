/** Intensities extracted from a pattern as reflections that the phasing takes. */
import { RawBuilder, type RawReflections } from '../crystal/reflections.ts';
import { laueRotations, rotationsOf } from '../crystal/point-group.ts';
import type { FitModel } from './model.ts';
import { PatternCalculator } from './engine.ts';
import type { Pattern } from '../crystal/pattern.ts';

/**
 * |F|² of an extracted phase with s.u. that grow where reflections overlap: those closer than half a width share what they have, and are
 * told with a relative error of half of it. Throws RangeError for a phase without extraction.
 */
export function extractedReflections(model: FitModel, phase: number, pattern: Pattern, dMin = 0): RawReflections {
  const p = model.phases[phase]!;
  if (!p.extraction || !p.extracted)
    throw new RangeError(
      `The intensities of ${p.name} have not been extracted yet. Run “Cell and intensities without a structure” first.`,
    );
  const calculator = new PatternCalculator(pattern, model.patterns[0]!, model.phases);
  const { tables } = calculator.calculate();
  const t = tables[phase]!,
    { list, f2 } = calculator.works[phase]!;
  const x = calculator.points.x,
    out = new RawBuilder();
  const rotations = laueRotations(rotationsOf(p.structure.spaceGroup));
  const seen = (i: number): boolean => {
    const at = t.position[i * t.lines]!;
    return at > x[0]! && at < x[x.length - 1]!;
  };
  const top = f2.reduce((m, v, i) => (seen(i) ? Math.max(m, v) : m), 0) || 1;
  for (let i = 0; i < list.count; i++) {
    if (!seen(i)) continue;
    const wavelength = model.patterns[0]!.instrument.lines[0]!.wavelength;
    if (wavelength / (2 * Math.sin(t.theta[i * t.lines]!)) < dMin) continue;
    const width = t.gauss[i * t.lines]! + t.lorentz[i * t.lines]!;
    const overlapped = [i - 1, i + 1].some(
      (j) => j >= 0 && j < list.count && Math.abs(t.position[j * t.lines]! - t.position[i * t.lines]!) < 0.5 * width,
    );
    const value = (1000 * f2[i]!) / top;
    const done = new Set<string>();
    for (const r of rotations) {
      const h = list.h[i]! * r[0] + list.k[i]! * r[3] + list.l[i]! * r[6],
        k = list.h[i]! * r[1] + list.k[i]! * r[4] + list.l[i]! * r[7],
        l = list.h[i]! * r[2] + list.k[i]! * r[5] + list.l[i]! * r[8];
      if (done.has(`${h},${k},${l}`)) continue;
      done.add(`${h},${k},${l}`);
      // Every equivalent is written once, so that the merged set knows the symmetry it came from.
      out.push(h, k, l, value, (overlapped ? 0.3 : 0.04) * value + 0.4, undefined);
    }
  }
  return out.build(false);
}
