import { describe, expect, it } from 'vitest';
import { calculatedIntensities } from '../../../demo/src/simulate.ts';
import { textbook } from '../../../demo/src/textbook.ts';
import { testCrystal } from '../../../demo/src/test-crystals.ts';
import { orthogonalization } from '../crystal/cell.ts';
import { experiment } from '../crystal/experiment.ts';
import type { Structure } from '../crystal/structure.ts';
import { apply3, dot, inverse3, toVec3, type Vec3 } from '../math/matrix3.ts';
import { mergeForGroup } from '../solve/prepare.ts';
import { quietContext } from '../task-context.ts';
import { curveOf, voidElectrons, voidsOf } from './voids-task.ts';

const solvated = testCrystal('CC(=O)Nc1ccccc1.CCOCC', 'P -1', 11, { dMin: 0.9 });
const whole = solvated.structure;
const host: Structure = { ...whole, sites: whole.sites.slice(0, 19) };
const guest = whole.sites.slice(19);
const NUMBER: Readonly<Record<string, number>> = { C: 6, O: 8, H: 1 };

describe('electrons in voids', () => {
  it('are counted from the intensities, void by void', { tags: 'long', timeout: 300_000 }, async () => {
    const c = calculatedIntensities(whole, 0.95, solvated.wavelength);
    const sigma = Float64Array.from(c.f2, (x) => 0.02 * x + 1);
    const raw = { count: c.count, h: c.h, k: c.k, l: c.l, intensity: Float64Array.from(c.f2), sigma, merged: false };
    const data = mergeForGroup(raw, whole.cell, whole.spaceGroup).reflections;
    const { voids } = voidsOf({ structure: host, probe: 1.2 }).figures;
    const found = await voidElectrons(experiment(host, data, solvated.wavelength), 1.2, quietContext());
    expect(found.electrons).toHaveLength(voids.length);
    const truth = 2 * guest.reduce((sum, x) => sum + NUMBER[x.element]!, 0);
    const sum = found.electrons.reduce<number>((total, x) => total + (x ?? 0), 0);
    expect(sum / truth).toBeGreaterThan(0.6);
    expect(sum / truth).toBeLessThan(1.35);
    expect(found.r1).toBeLessThan(0.5 * found.before);
    // The fullest void is the one that the solvent was taken out of.
    const most = found.electrons.indexOf(Math.max(...found.electrons.map((x) => x ?? 0)));
    const m = orthogonalization(whole.cell);
    const apart = guest.flatMap((x) =>
      [1, -1].map((sign) => {
        const d = x.position.map((p, k) => sign * p - voids[most]!.centre[k]!);
        return Math.hypot(...apply3(m, toVec3(d.map((y) => y - Math.round(y)))));
      }),
    );
    expect(Math.min(...apart)).toBeLessThan(2);
  });
});

describe('the surface of empty space', () => {
  it('ends where a plane cuts it', () => {
    const hkl: Vec3 = [1, -1, 1];
    const open = voidsOf({ structure: host, probe: 1 });
    const cut = voidsOf({ structure: host, probe: 1, cut: { hkl, at: 0.4 } });
    const back = inverse3(orthogonalization(host.cell));
    const along = (p: Float32Array): number[] =>
      Array.from({ length: p.length / 3 }, (_, i) => dot(hkl, apply3(back, [p[3 * i]!, p[3 * i + 1]!, p[3 * i + 2]!])));
    const [before, after] = [along(open.surface.positions), along(cut.surface.positions)];
    expect(Math.max(...before)).toBeGreaterThan(0.6);
    expect(Math.max(...after)).toBeLessThanOrEqual(0.4);
    expect(after).toHaveLength(before.filter((x) => x <= 0.4).length);
    // What is cut away is not drawn, and is there.
    expect(cut.figures).toEqual(open.figures);
  });

  it('faces the atoms with its outer side', () => {
    // One closed void in the middle of the cell.
    const cube = textbook('P m -3 m', 6, 6, [['O', 0, 0, 0]]);
    const { surface, figures } = voidsOf({ structure: cube, probe: 1.2, radii: { O: 3.3 } });
    expect(figures.voids.map((v) => v.kind)).toEqual(['closed']);
    const { positions: p, indices } = surface;
    const at = (i: number): Vec3 => [p[3 * i]!, p[3 * i + 1]!, p[3 * i + 2]!];
    // Six volumes of tetrahedra to the origin: what a closed, outward surface encloses is positive.
    let six = 0;
    for (let t = 0; t < indices.length; t += 3) {
      const [a, b, c] = [at(indices[t]!), at(indices[t + 1]!), at(indices[t + 2]!)];
      six +=
        a[0] * (b[1] * c[2] - b[2] * c[1]) - a[1] * (b[0] * c[2] - b[2] * c[0]) + a[2] * (b[0] * c[1] - b[1] * c[0]);
    }
    expect(six).toBeGreaterThan(0);
  });

  it('takes radii of one’s own, in the map and in the curve', () => {
    const radii = { H: 1.0, C: 1.5 };
    const [usual, smaller] = [voidsOf({ structure: host, probe: 1 }), voidsOf({ structure: host, probe: 1, radii })];
    expect(smaller.figures.touched).toBeGreaterThan(usual.figures.touched);
    expect(smaller.figures.packing).toBeLessThan(usual.figures.packing);
    expect(curveOf({ structure: host, radii }).largest).toBeGreaterThan(curveOf({ structure: host }).largest);
  });
});
