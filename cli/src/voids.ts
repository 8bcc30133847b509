/** `voids` of the terminal: empty space by a probe. */
import { experiment } from '@nagare/core/crystal/experiment';
import { mergeForGroup } from '@nagare/core/solve/prepare';
import { guestOf, type Void } from '@nagare/core/space/voids';
import { curveOf, voidElectrons, voidsOf } from '@nagare/core/tasks/voids-task';
import { BadInput, numberOption, quiet, rounded, type Answer, type Options } from './answers.ts';
import type { modelWithData } from './inputs.ts';

type ModelAndData = ReturnType<typeof modelWithData>;

const KIND_WORDS: Readonly<Record<Void['kind'], string>> = {
  closed: 'closed',
  channel: 'a channel',
  layer: 'a layer',
  everywhere: 'open everywhere',
};

const inside = (electrons: number | null | undefined): string =>
  typeof electrons === 'number' ? `, ${electrons.toFixed(0)} electrons` : '';

const digits = (x: number): number => rounded(x, 4);

/** Electrons in each void where there are intensities; none where no void is large enough to be counted. */
async function electronsIn(
  { model, raw }: ModelAndData,
  probe: number,
  step: number | undefined,
): Promise<readonly (number | null)[] | undefined> {
  const structure = model.structure!;
  const { wavelength } = model.experiment;
  if (!raw || !wavelength) return undefined;
  const { reflections } = mergeForGroup(raw, structure.cell, structure.spaceGroup);
  const e = experiment(structure, reflections, wavelength, { treatment: model.treatment });
  try {
    return (await voidElectrons(e, probe, quiet(), step)).electrons;
  } catch (error) {
    if (error instanceof RangeError) return undefined;
    throw error;
  }
}

export async function voidsAnswer(given: ModelAndData, options: Options): Promise<Answer> {
  const structure = given.model.structure!;
  const probe = numberOption('probe', options['probe'] as string | undefined, 1.2);
  if (probe < 0 || probe > 20) throw new BadInput(`--probe is a radius from 0 to 20 Å, not ${probe}.`);
  const grid = options['grid'];
  const step = typeof grid === 'string' ? numberOption('grid', grid, 0.2) : undefined;
  if (step !== undefined && (step < 0.05 || step > 2)) throw new BadInput(`--grid is from 0.05 to 2 Å, not ${step}.`);
  const curve = curveOf({ structure });
  const { figures: f } = voidsOf({ structure, probe, ...(step === undefined ? {} : { step }) });
  const electrons = f.voids.length ? await electronsIn(given, probe, step) : undefined;
  const percent = (x: number): number => rounded((100 * x) / f.cell, 2);
  const line = (v: Void, i: number): string => {
    const rows = v.directions.map((d) => ` [${d.join(' ')}]`).join('');
    const passes = v.window === undefined ? '' : `, passes ${v.window.toFixed(2)} Å`;
    const guest = guestOf(v);
    const room = guest ? `, room for ${guest.name}` : '';
    const volume = `${v.touched.toFixed(1)} Å³ (${percent(v.touched)} %)`;
    return `${volume}, ${KIND_WORDS[v.kind]}${rows}: largest sphere ${v.sphere.toFixed(2)} Å${passes}${room}${inside(electrons?.[i])}`;
  };
  return {
    json: {
      probe,
      reached: digits(f.reached),
      touched: digits(f.touched),
      percentReached: percent(f.reached),
      percentTouched: percent(f.touched),
      voids: f.voids.map((v, i) => ({
        volume: digits(v.touched),
        reached: digits(v.reached),
        centre: v.centre.map((x) => rounded(x, 4)),
        // Counted only where there are measured intensities.
        electrons: typeof electrons?.[i] === 'number' ? rounded(electrons[i], 1) : null,
        kind: v.kind,
        direction: v.directions,
        window: v.window === undefined ? null : digits(v.window),
        sphere: digits(v.sphere),
      })),
      curve: curve.points.map((p) => ({
        radius: digits(p.radius),
        reached: digits(p.reached),
        touched: digits(p.touched),
      })),
      packing: rounded(f.packing, 4),
      largest: digits(curve.largest),
    },
    text: [
      f.voids.length
        ? `A probe of ${probe} Å touches ${f.touched.toFixed(1)} Å³ (${percent(f.touched)} %) and its middle reaches ${f.reached.toFixed(1)} Å³.`
        : `A probe of ${probe} Å fits nowhere; one of ${curve.largest.toFixed(2)} Å is the largest that does.`,
      ...f.voids.map(line),
      `Atoms fill ${(100 * f.packing).toFixed(1)} % by their van der Waals spheres.`,
    ].join('\n'),
  };
}
