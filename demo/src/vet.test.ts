import { experiment } from '@nagare/core/crystal/experiment';
import { readFileSync } from 'node:fs';
import { beforeAll, describe, expect, it } from 'vitest';
import { isotropicTensor, type Site, type Structure } from '@nagare/core/crystal/structure';
import { cellContents } from '@nagare/core/crystal/structure';
import { scaleFormula } from '@nagare/core/crystal/formula';
import { spaceGroupFromSymbol } from '@nagare/core/crystal/settings';
import { NO_CONTROLS } from '@nagare/core/crystal/controls';
import { bonds } from '@nagare/core/geometry/bonds';
import { recognise } from '@nagare/core/formats/recognise';
import { refineStructure } from '@nagare/core/refine/single-crystal';
import { residualOf } from '@nagare/core/settle/stage';
import { mergeForGroup } from '@nagare/core/solve/prepare';
import { quietContext } from '@nagare/core/task-context';
import { lowerSymmetry, subgroups } from '@nagare/core/symmetry/subgroups';
import { VetContext, type VetInput } from '@nagare/core/vet/context';
import { CHECKS, vet } from '@nagare/core/vet/registry';

const read = (folder: string, name: string) =>
  recognise(readFileSync(new URL(`../${folder}/${name}.cif`, import.meta.url), 'utf8'), name)[0]!;
const ids = (input: VetInput): Set<string> => new Set(vet(input).findings.map((f) => f.check));

/** A model refined against its data, with everything the page would know. */
async function refined(name: string, from?: Structure): Promise<VetInput> {
  const data = read('data', name),
    s = from ?? read('truth', name).structure!;
  const merged = mergeForGroup(data.raw!, data.cell!, s.spaceGroup);
  const wavelength = data.experiment.wavelength!;
  const { structure, readings } = await refineStructure(
    experiment(s, merged.reflections, wavelength, { weights: { a: 0.03, b: 0 } }),
    { cycles: 20, optimizeWeights: true },
    quietContext(),
  );
  const { map } = residualOf(experiment(structure, merged.reflections, wavelength, { weights: readings.weights }));
  return {
    structure,
    experiment: data.experiment,
    wavelength,
    readings,
    statistics: merged.statistics,
    reflections: merged.reflections,
    raw: data.raw!,
    peaks: map.peaks,
    holes: map.holes,
    residualSigma: map.sigma,
  };
}

const change = (s: Structure, label: string, f: (x: Site) => Site): Structure => ({
  ...s,
  sites: s.sites.map((x) => (x.label === label ? f(x) : x)),
});
const without = (s: Structure, ...labels: string[]): Structure => ({
  ...s,
  sites: s.sites.filter((x) => !labels.includes(x.label)),
});

describe('the vet', () => {
  let clean: VetInput, acentric: VetInput;
  beforeAll(async () => {
    clean = await refined('aobae');
    acentric = await refined('tsuyukusa-7');
  }, 120_000);

  it('has more than thirty checks, each with a name, a family and what it looks at', () => {
    expect(CHECKS.length).toBeGreaterThanOrEqual(30);
    expect(new Set(CHECKS.map((c) => c.id)).size).toBe(CHECKS.length);
    for (const c of CHECKS) {
      expect(c.name.length).toBeGreaterThan(4);
      expect(c.looks.length).toBeGreaterThan(20);
    }
    expect(new Set(CHECKS.map((c) => c.family)).size).toBe(7);
  });

  it('finds nothing to mend in sound structures refined to their end', { tags: 'long' }, async () => {
    for (const input of [clean, acentric, await refined('mizuasagi'), await refined('rokusho-9')])
      expect(
        vet(input)
          .findings.filter((f) => f.severity === 'mend')
          .map((f) => f.title),
      ).toEqual([]);
  });

  it('finds every fault planted in Suou-5', () => {
    const data = read('data', 'suou-5'),
      s = data.structure!;
    const merged = mergeForGroup(data.raw!, s.cell, s.spaceGroup);
    const { map } = residualOf(
      experiment(s, merged.reflections, data.experiment.wavelength!, { weights: { a: 0.05, b: 0 } }),
    );
    const { findings } = vet({
      structure: s,
      experiment: data.experiment,
      wavelength: data.experiment.wavelength!,
      reflections: merged.reflections,
      statistics: merged.statistics,
      raw: data.raw!,
      peaks: map.peaks,
      holes: map.holes,
      residualSigma: map.sigma,
      items: data.items!,
    });
    const mend = findings.filter((f) => f.severity === 'mend');
    const about = (check: string, label: string): boolean =>
      mend.some((f) => f.check === check && f.sites.some((i) => s.sites[i]!.label === label));
    expect(about('element mistaken', 'O9')).toBe(true);
    expect(about('missing hydrogens', 'C3')).toBe(true);
    expect(about('impossible displacement', 'C4')).toBe(true);
    expect(about('short contacts', 'H14')).toBe(true);
    expect(mend.some((f) => f.check === 'formula')).toBe(true);
    // Every finding that must be mended offers a way out.
    for (const f of mend) expect(f.remedies.length).toBeGreaterThan(0);
    const wrong = mend.find((f) => f.check === 'element mistaken')!;
    expect(wrong.remedies[0]).toMatchObject({ act: 'element', element: 'N' });
  });

  /** Each check with a change that must set it off; what is left untouched must not. */
  const triggers: [string, (c: VetInput) => VetInput, 'acentric'?][] = [
    ['completeness', (c) => ({ ...c, statistics: { ...c.statistics!, completeness: 0.86 } })],
    ['resolution', (c) => ({ ...c, statistics: { ...c.statistics!, dMin: 1.1 } })],
    ['redundancy', (c) => ({ ...c, statistics: { ...c.statistics!, redundancy: 1.1 } })],
    ['agreement', (c) => ({ ...c, statistics: { ...c.statistics!, rInt: 0.3 } })],
    ['noise', (c) => ({ ...c, statistics: { ...c.statistics!, rSigma: 0.2 } })],
    ['absorption correction', (c) => ({ ...c, experiment: { ...c.experiment, size: [0.6, 0.5, 0.4], kept: {} } })],
    [
      'lost reflections',
      (c) => ({ ...c, statistics: { ...c.statistics!, rejected: Math.round(c.statistics!.measured * 0.05) } }),
    ],
    [
      'outliers',
      (c) => {
        const fsq = c.reflections!.fsq.slice();
        const i = fsq.indexOf(Math.max(...fsq));
        fsq[i] = fsq[i]! * 0.2;
        return { ...c, reflections: { ...c.reflections!, fsq } };
      },
    ],
    [
      'twin signs',
      (c) => ({
        ...c,
        reflections: {
          ...c.reflections!,
          fsq: c.reflections!.fsq.map((x, i, all) => 0.5 * x + 0.5 * all[(i * 7919) % all.length]!),
        },
      }),
    ],
    [
      'absences',
      (c) => {
        const intensity = c.raw!.intensity.slice();
        for (let i = 0; i < intensity.length; i++)
          if (c.raw!.k[i] === 0 && c.raw!.l[i]! % 2 !== 0) intensity[i] = 60 * c.raw!.sigma[i]!;
        return { ...c, raw: { ...c.raw!, intensity } };
      },
    ],
    [
      'cell uncertainty',
      (c) => {
        const { su: _s, ...cell } = c.structure.cell;
        return { ...c, structure: { ...c.structure, cell } };
      },
    ],
    ['formula', (c) => ({ ...c, experiment: { ...c.experiment, formula: { ...c.experiment.formula, N: 7 } } })],
    [
      'density',
      (c) => ({ ...c, structure: { ...c.structure, cell: { ...c.structure.cell, a: 2.3 * c.structure.cell.a } } }),
    ],
    [
      'voids',
      (c) => ({
        ...c,
        structure: without(c.structure, ...c.structure.sites.filter((_, i) => i < 14).map((x) => x.label)),
      }),
    ],
    [
      'missing hydrogens',
      (c) => ({
        ...c,
        structure: without(
          c.structure,
          ...c.structure.sites
            .filter((x) => x.element === 'H')
            .slice(3, 6)
            .map((x) => x.label),
        ),
      }),
    ],
    [
      'extra hydrogens',
      (c) => ({
        ...c,
        structure: {
          ...c.structure,
          sites: [
            ...c.structure.sites,
            {
              ...c.structure.sites.find((x) => x.element === 'H')!,
              id: 'lone',
              label: 'H99',
              position: [0.013, 0.51, 0.007],
            },
          ],
        },
      }),
    ],
    ['element mistaken', (c) => ({ ...c, structure: change(c.structure, 'N1', (x) => ({ ...x, element: 'O' })) })],
    ['R values', (c) => ({ ...c, readings: { ...c.readings!, r1: 0.14 } })],
    ['goodness of fit', (c) => ({ ...c, readings: { ...c.readings!, s: 2.1 } })],
    ['convergence', (c) => ({ ...c, readings: { ...c.readings!, maxShiftOverSu: 0.4 } })],
    [
      'data per parameter',
      (c) => ({ ...c, readings: { ...c.readings!, parameters: Math.round(c.readings!.reflections / 4) } }),
    ],
    [
      'residual density',
      (c) => ({
        ...c,
        peaks: [
          { name: 'ρ1', position: [0.5, 0.5, 0.5], height: 2.4, near: [{ site: 0, label: 'C1', distance: 1.9 }] },
        ],
      }),
    ],
    [
      'correlations',
      (c) => ({
        ...c,
        readings: { ...c.readings!, correlations: [{ value: -0.98, between: ['x of C1', 'x of C2'] }] },
      }),
    ],
    [
      'restraints',
      (c) => ({
        ...c,
        structure: {
          ...c.structure,
          controls: {
            ...NO_CONTROLS,
            restraints: [
              {
                id: 'r',
                kind: 'distance',
                pairs: [[c.structure.sites[0]!.id, c.structure.sites[1]!.id]],
                target: 3,
                su: 0.02,
              },
            ],
          },
        },
      }),
    ],
    ['extinction', (c) => ({ ...c, readings: { ...c.readings!, extinction: { value: 0.0001, su: 0.001 } } })],
    ['absolute structure', (c) => ({ ...c, absolute: { x: 0.97, su: 0.05, pairs: 900, verdict: '' } }), 'acentric'],
    [
      'impossible displacement',
      (c) => ({
        ...c,
        structure: change(c.structure, 'C3', (x) => ({
          ...x,
          displacement: { kind: 'aniso', u: [0.03, -0.01, 0.03, 0, 0, 0] },
        })),
      }),
    ],
    [
      'elongation',
      (c) => ({
        ...c,
        structure: change(c.structure, 'C3', (x) => ({
          ...x,
          displacement: { kind: 'aniso', u: [0.03, 0.35, 0.03, 0, 0, 0] },
        })),
      }),
    ],
    [
      'rigid bonds',
      (c) => ({
        ...c,
        structure: change(c.structure, 'C3', (x) => ({
          ...x,
          displacement: { kind: 'aniso', u: isotropicTensor(c.structure.cell, 0.12) },
        })),
      }),
    ],
    [
      'neighbouring displacements',
      (c) => ({
        ...c,
        structure: change(c.structure, 'C3', (x) => ({ ...x, displacement: { kind: 'iso', u: 0.15 } })),
      }),
    ],
    [
      'hydrogen displacement',
      (c) => ({ ...c, structure: change(c.structure, 'H3', (x) => ({ ...x, displacement: { kind: 'iso', u: 0.2 } })) }),
    ],
    [
      'isotropic atoms',
      (c) => ({
        ...c,
        structure: change(c.structure, 'C5', (x) => ({ ...x, displacement: { kind: 'iso', u: 0.03 } })),
      }),
    ],
    [
      'solvent displacement',
      (c) => ({
        ...c,
        structure: {
          ...c.structure,
          sites: c.structure.sites.map((x, i, all) =>
            x.element === 'O' && all.findLastIndex((y) => y.element === 'O') === i
              ? { ...x, displacement: { kind: 'iso' as const, u: 0.16 } }
              : x,
          ),
        },
      }),
    ],
    [
      'bond lengths',
      (c) => ({ ...c, structure: change(c.structure, 'Cl1', (x) => ({ ...x, position: nearBy(c.structure, 0.16) })) }),
    ],
    [
      'angles',
      (c) => ({ ...c, structure: change(c.structure, 'Cl1', (x) => ({ ...x, position: sideways(c.structure) })) }),
    ],
    [
      'carbon average',
      (c) => ({
        ...c,
        structure: {
          ...c.structure,
          cell: {
            ...c.structure.cell,
            a: 1.03 * c.structure.cell.a,
            b: 1.03 * c.structure.cell.b,
            c: 1.03 * c.structure.cell.c,
          },
        },
      }),
    ],
    [
      'hydrogen geometry',
      (c) => {
        const b = c.structure.sites.find((x) => x.label === 'H3')!;
        return {
          ...c,
          structure: {
            ...c.structure,
            sites: c.structure.sites.map((x) =>
              x === b
                ? {
                    ...x,
                    position: [
                      x.position[0] + 0.22 / c.structure.cell.a,
                      x.position[1] + 0.18 / c.structure.cell.b,
                      x.position[2],
                    ] as const,
                  }
                : x,
            ),
          },
        };
      },
    ],
    [
      'short contacts',
      (c) => ({
        ...c,
        structure: {
          ...c.structure,
          sites: [
            ...c.structure.sites,
            { ...c.structure.sites[3]!, id: 'near', label: 'C99', position: nearBy(c.structure, 2.1) },
          ],
        },
      }),
    ],
    [
      'missed bonds',
      (c) => ({
        ...c,
        structure: {
          ...c.structure,
          sites: [
            ...c.structure.sites.filter((x) => x.element !== 'H'),
            {
              ...c.structure.sites.find((x) => x.element === 'C')!,
              id: 'n',
              label: 'C98',
              position: nearBy(c.structure, 2.0),
            },
          ],
        },
      }),
    ],
    [
      'donors',
      (c) => ({
        ...c,
        structure: without(
          c.structure,
          ...c.structure.sites
            .filter((x) => x.element === 'O')
            .map((x) => x.label)
            .slice(1),
        ),
      }),
    ],
    ['valence', (c) => ({ ...c, structure: change(c.structure, 'C2', (x) => ({ ...x, element: 'F' })) })],
    ['charges', (c) => ({ ...c, structure: without(c.structure, ...hydrogensOf(c.structure, 'O')) })],
    [
      'missed symmetry',
      (c) => ({ ...c, structure: lowerSymmetry(c.structure, subgroups(c.structure.spaceGroup)[0]!) }),
    ],
    [
      'special positions',
      (c) => ({ ...c, structure: change(c.structure, 'C1', (x) => ({ ...x, position: [0.01, 0.01, 0.01] })) }),
    ],
    ['setting', (c) => ({ ...c, structure: { ...c.structure, spaceGroup: spaceGroupFromSymbol('P 1 21/n 1') } })],
    [
      'connected unit',
      (c) => ({
        ...c,
        structure: change(c.structure, 'Cl1', (x) => ({
          ...x,
          position: [x.position[0] + 1, x.position[1], x.position[2]],
        })),
      }),
    ],
    ['cell and symmetry', (c) => ({ ...c, structure: { ...c.structure, cell: { ...c.structure.cell, alpha: 91 } } })],
    ['chirality', (c) => ({ ...c, absolute: { x: 0.1, su: 0.4, pairs: 300, verdict: '' } }), 'acentric'],
    ['figures of the file', (c) => ({ ...c, items: { _cell_volume: '900.0', _exptl_crystal_f_000: '12' } })],
    ['items of the file', (c) => ({ ...c, items: { _cell_angle_alpha: '400', _refine_ls_matrix_type: 'half' } })],
    ['missing items', (c) => ({ ...c, experiment: { kept: {} } })],
  ];

  it('is set off by what each check looks for', () => {
    const found = (id: string, input: VetInput): boolean =>
      CHECKS.find((c) => c.id === id)!.run(new VetContext(input)).length > 0;
    const deaf = triggers.filter(([id, f, which]) => !found(id, f(which ? acentric : clean))).map(([id]) => id);
    expect(deaf).toEqual([]);
    expect(new Set(triggers.map(([id]) => id))).toEqual(new Set(CHECKS.map((c) => c.id)));
  }, 120_000);

  it('is quiet on the same model without the change', () => {
    const loud = ids(clean);
    for (const id of [
      'completeness',
      'resolution',
      'agreement',
      'noise',
      'twin signs',
      'absences',
      'cell uncertainty',
      'formula',
      'density',
      'voids',
      'missing hydrogens',
      'extra hydrogens',
      'element mistaken',
      'R values',
      'goodness of fit',
      'convergence',
      'data per parameter',
      'residual density',
      'correlations',
      'impossible displacement',
      'elongation',
      'rigid bonds',
      'neighbouring displacements',
      'isotropic atoms',
      'bond lengths',
      'angles',
      'carbon average',
      'valence',
      'charges',
      'missed symmetry',
      'special positions',
      'setting',
      'connected unit',
      'cell and symmetry',
    ])
      expect(loud.has(id), id).toBe(false);
  });

  it('finds nothing to mend in any sound demo crystal, without its data', () => {
    for (const name of [
      'tsuyukusa-7',
      'benigara-2',
      'kasumi',
      'mizuasagi',
      'futago-1',
      'asagi-8',
      'hanada-3',
      'kihada-2',
      'suou-5',
      'enju-6',
    ])
      expect(
        vet({ structure: read('truth', name).structure!, experiment: { kept: {} } })
          .findings.filter((f) => f.severity === 'mend')
          .map((f) => `${name}: ${f.title}`),
      ).toEqual([]);
  });

  it('takes a foreign model without data or formula', () => {
    const { findings, ran, silent } = vet({ structure: read('truth', 'kasumi').structure!, experiment: { kept: {} } });
    expect(ran.length).toBeGreaterThan(20);
    expect(silent.some((s) => s.id === 'agreement')).toBe(true);
    expect(findings.filter((f) => f.severity === 'mend')).toEqual([]);
    expect(scaleFormula(cellContents(read('truth', 'kasumi').structure!), 0.25)['C']).toBeGreaterThan(5);
  });
});

/** A place `d` Å from the first chlorine, away from its carbon. */
function nearBy(s: Structure, d: number): [number, number, number] {
  const cl = s.sites.find((x) => x.element === 'Cl')!;
  const c = s.sites
    .filter((x) => x.element === 'C')
    .map((x) => ({
      x,
      d: Math.hypot(
        (x.position[0] - cl.position[0]) * s.cell.a,
        (x.position[1] - cl.position[1]) * s.cell.b,
        (x.position[2] - cl.position[2]) * s.cell.c,
      ),
    }))
    .sort((p, q) => p.d - q.d)[0]!.x;
  const v = [0, 1, 2].map((i) => (cl.position[i]! - c.position[i]!) * [s.cell.a, s.cell.b, s.cell.c][i]!),
    l = Math.hypot(...v);
  return [0, 1, 2].map((i) => cl.position[i]! + ((v[i]! / l) * d * 1.17) / [s.cell.a, s.cell.b, s.cell.c][i]!) as [
    number,
    number,
    number,
  ];
}

/** The first chlorine pushed in its plane towards a neighbour of its carbon. */
function sideways(s: Structure): [number, number, number] {
  const list = bonds(s),
    cl = s.sites.findIndex((x) => x.element === 'Cl');
  const c = list.find((b) => b.from === cl)!.to,
    n = list.find((b) => b.from === c && b.to !== cl)!.to;
  return [0, 1, 2].map(
    (i) => s.sites[cl]!.position[i]! + 0.8 * (s.sites[n]!.position[i]! - s.sites[c]!.position[i]!),
  ) as [number, number, number];
}

/** Labels of the hydrogens bonded to an element. */
const hydrogensOf = (s: Structure, element: string): string[] =>
  bonds(s)
    .filter((b) => s.sites[b.from]!.element === element && s.sites[b.to]!.element === 'H')
    .map((b) => s.sites[b.to]!.label);
