import { execFile } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { writeReflections } from '../../demo/src/reflection-loop.ts';
import { testCrystal } from '../../demo/src/test-crystals.ts';
import { structureCif } from '@nagare/core/publish/structure-cif';
import { CifWriter } from '@nagare/core/publish/cif-writer';
import { cellParameters } from '@nagare/core/crystal/cell';
import { recognise } from '@nagare/core/formats/recognise';
import { runCommand } from './commands.ts';
import { shippedShelf } from '@nagare/core/shelf/entry';

const folder = mkdtempSync(join(tmpdir(), 'nagare-'));
const root = new URL('../..', import.meta.url).pathname;
/** A command as it was written, in this process. */
async function run(...args: string[]): Promise<{ code: number; out: string; err: string }> {
  const said: string[] = [];
  const { code, out, problem } = await runCommand(args, (line) => said.push(line));
  return { code, out: out ?? '', err: [...said, ...(problem ? [problem] : [])].join('\n') };
}

/** The same in a process of its own, as from a terminal. */
const shell = (...args: string[]): Promise<{ code: number; out: string; err: string }> =>
  new Promise((resolve) => {
    execFile(
      process.execPath,
      ['--import', 'tsx', join(root, 'cli/src/main.ts'), ...args],
      { cwd: root, maxBuffer: 1e8 },
      (e, out, err) => resolve({ code: e ? Number(e.code) : 0, out, err }),
    );
  });

const { structure, raw, wavelength } = testCrystal('OCc1ccncc1.O', 'P 1 21/c 1', 14, { dMin: 0.84, repeats: 1.2 });
const data = new CifWriter('small');
['length_a', 'length_b', 'length_c', 'angle_alpha', 'angle_beta', 'angle_gamma'].forEach((n, i) =>
  data.item(`_cell_${n}`, String(cellParameters(structure.cell)[i])),
);
data
  .item('_diffrn_radiation_wavelength', String(wavelength))
  .item('_chemical_formula_sum', 'C6 H9 N O2')
  .item('_cell_formula_units_Z', 4);
writeReflections(data, raw, 3);
const dataFile = join(folder, 'data.cif'),
  modelFile = join(folder, 'model.cif'),
  finalFile = join(folder, 'final.cif');
writeFileSync(dataFile, data.toString());
writeFileSync(
  modelFile,
  structureCif({
    name: 'model',
    structure: {
      ...structure,
      sites: structure.sites
        .filter((x) => x.element !== 'H')
        .map((x) => ({ ...x, displacement: { kind: 'iso' as const, u: 0.04 } })),
    },
    experiment: { kept: {} },
    date: '2026-11-23',
  }),
);

describe('nagare settle', () => {
  it('writes a converged model with hydrogens and says so in one JSON object', async () => {
    const { code, out, err } = await run('settle', modelFile, dataFile, '--out', finalFile, '--json');
    expect(err).toBe('');
    expect(code).toBe(0);
    const json = JSON.parse(out) as Record<string, never> & {
      hydrogens: Record<string, number>;
      stages: { title: string }[];
      r1: number;
      maxShiftOverSu: number;
      disorder: unknown[];
      state: string;
    };
    expect(json.hydrogens['placed']).toBe(9);
    expect(
      json.hydrogens['riding']! + json.hydrogens['rotating']! + json.hydrogens['free']! + json.hydrogens['restrained']!,
    ).toBe(9);
    expect(json.state).toBe('settled');
    expect(json.maxShiftOverSu).toBeLessThan(0.01);
    expect(json.disorder).toEqual([]);
    expect(json.stages.map((s) => s.title)).toContain('Hydrogens');
    const final = recognise(readFileSync(finalFile, 'utf8'), 'final.cif')[0]!.structure!;
    expect(final.sites.filter((x) => x.element === 'H')).toHaveLength(9);
    expect(final.controls!.hydrogens.length).toBeGreaterThan(4);

    // Refined again from its own CIF, everything that holds the model is honoured and nothing moves.
    const again = await run(
      'refine',
      finalFile,
      dataFile,
      '--cycles',
      '4',
      '--out',
      join(folder, 'again.cif'),
      '--json',
    );
    const second = JSON.parse(again.out) as { r1: number; parameters: number; restraints: number };
    expect(second.parameters).toBe((json as unknown as { parameters: number }).parameters);
    expect(Math.abs(second.r1 - json.r1)).toBeLessThan(0.0005);
  }, 300_000);

  it('answers bad input with one sentence and status 2', async () => {
    const missing = await run('settle', join(folder, 'nothing.cif'), dataFile);
    expect(missing.code).toBe(2);
    expect(missing.err).toMatch(/there is no such file/);
    expect((await run('settle', modelFile, dataFile, '--disorder', 'maybe')).err).toMatch(/try or ask/);
    expect((await run('settle', modelFile)).err).toMatch(/holds no reflections/);
    expect((await run('setle', modelFile)).code).toBe(2);
  }, 300_000);
});

describe('nagare merge, solve and refine', () => {
  it('merges, solves and refines with one JSON object each', async () => {
    const m = JSON.parse((await run('merge', dataFile, '--json')).out) as {
      spaceGroups: { number: number }[];
      rInt: number;
      unique: number;
    };
    expect(m.spaceGroups[0]!.number).toBe(14);
    expect(m.rInt).toBeLessThan(0.1);
    const model = join(folder, 'solved.cif'),
      refined = join(folder, 'refined.cif');
    const s = JSON.parse((await run('solve', dataFile, '--seed', '4', '--out', model, '--json')).out) as {
      spaceGroup: { number: number; hall: string };
      atoms: unknown[];
      r1: number;
      seconds: number;
    };
    expect(s.spaceGroup).toMatchObject({ number: 14, hall: '-P 2ybc' });
    expect(s.atoms).toHaveLength(9);
    const r = JSON.parse(
      (await run('refine', model, dataFile, '--adp', 'aniso', '--out', refined, '--json')).out,
    ) as Record<string, number>;
    expect(r['r1']).toBeLessThan(0.09);
    expect(r['maxShiftOverSu']).toBeLessThan(0.05);
    expect(r['parameters']).toBe(1 + 9 * 9);
    // The refined CIF carries its reflections, so it can be refined on its own.
    const again = JSON.parse((await run('refine', refined, '--cycles', '5', '--json')).out) as Record<string, number>;
    expect(Math.abs(again['r1']! - r['r1']!)).toBeLessThan(0.0015);
  });

  it('answers bad input with a sentence and exit status 2', async () => {
    const bad = join(folder, 'bad.cif');
    writeFileSync(bad, 'data_x\n_cell_length_a oops\n');
    for (const [args, message] of [
      [['merge', join(folder, 'none.cif')], /no such file/],
      [['merge', bad], /Line 2: _cell_length_a is "oops"/],
      [['brew'], /"brew" is not a command/],
      [['refine', dataFile], /no atom sites/],
      [['solve', dataFile, '--space-group', 'P 7'], /not a known symbol/],
      [['solve', dataFile, '--formula', 'Qq2'], /Qq/],
      [['merge', dataFile, '--colour', 'red'], /--colour/],
    ] as [string[], RegExp][]) {
      const { code, out, err } = await run(...args, ...(args.length > 1 ? ['--json'] : []));
      expect(code, args.join(' ')).toBe(2);
      expect(out).toBe('');
      expect(err).toMatch(message);
      expect(err).not.toMatch(/\s+at .*\.ts:/);
    }
  });
});

describe('nagare symmetry, reset, check and report', () => {
  const demo = (name: string): string => join(root, 'demo/data', `${name}.cif`);
  const json = async (...args: string[]): Promise<Record<string, unknown>> => {
    const { code, out, err } = await run(...args, '--json');
    expect(err).toBe('');
    expect(code).toBe(0);
    return JSON.parse(out) as Record<string, unknown>;
  };

  it('finds missed symmetry with its matrix, shift and R_int, and lists the settings', async () => {
    const found = (await json('symmetry', demo('hanada-3'), '--tolerance', '0.25')) as {
      present: { symbol: string };
      missed: {
        symbol: string;
        number: number;
        matrix: number[];
        shift: number[];
        maxDeviation: number;
        rIntHigher: number;
      }[];
      settings: { symbol: string; present: boolean }[];
    };
    expect(found.present.symbol).toBe('P n a 21');
    expect(found.missed[0]).toMatchObject({ number: 62, symbol: 'P n m a' });
    expect(found.missed[0]!.matrix).toHaveLength(9);
    expect(found.missed[0]!.shift).toHaveLength(3);
    expect(found.missed[0]!.maxDeviation).toBeLessThan(0.25);
    expect(found.missed[0]!.rIntHigher).toBeLessThan(0.1);
    expect(found.settings.filter((c) => c.present)).toHaveLength(1);
    expect(((await json('symmetry', join(root, 'demo/truth/aobae.cif'))) as { missed: unknown[] }).missed).toEqual([]);
  }, 60_000);

  it('re-sets to the standard setting and back, data included', async () => {
    const there = join(folder, 'there.cif'),
      back = join(folder, 'back.cif');
    const one = (await json('reset', demo('asagi-8'), '--setting', 'standard', '--out', there)) as {
      to: { symbol: string };
      r1Before: number;
      r1After: number;
    };
    expect(one.to.symbol).toBe('C 1 2/c 1');
    expect(Math.abs(one.r1After - one.r1Before)).toBeLessThan(1e-4);
    await json('reset', there, '--setting', 'I 1 2/a 1', '--out', back);
    const s = recognise(readFileSync(demo('asagi-8'), 'utf8'), 'a')[0]!.structure!,
      t = recognise(readFileSync(back, 'utf8'), 'b')[0]!.structure!;
    expect(t.cell.a).toBeCloseTo(s.cell.a, 6);
    // The way back may end at an equivalent origin; distances must be the same.
    const d = (x: typeof s): number =>
      Math.hypot(
        ...[0, 1, 2].map(
          (i) => (x.sites[0]!.position[i]! - x.sites[5]!.position[i]!) * [x.cell.a, x.cell.b, x.cell.c][i]!,
        ),
      );
    expect(d(t)).toBeCloseTo(d(s), 5);
    expect((await run('reset', demo('asagi-8'), '--setting', 'a, b, a+b', '--out', back)).err).toContain(
      'in one plane',
    );
    expect((await run('reset', demo('asagi-8'), '--setting', 'P 21/c', '--out', back)).code).toBe(2);
  }, 60_000);

  it('checks a model and writes a report', async () => {
    const found = (await json('check', demo('suou-5'))) as {
      counts: { mend: number };
      findings: { id: string; severity: string; title: string; atoms: string[]; remedy: string }[];
    };
    expect(found.counts.mend).toBeGreaterThanOrEqual(5);
    expect(found.findings.find((f) => f.id.startsWith('element mistaken'))).toMatchObject({
      severity: 'must be mended',
      atoms: ['O9'],
    });
    const clean = (await json('check', join(root, 'demo/truth/rokusho-9.cif'))) as { counts: { mend: number } };
    expect(clean.counts.mend).toBe(0);
    const report = join(folder, 'report.html');
    await json('report', demo('suou-5'), '--out', report);
    expect(readFileSync(report, 'utf8')).toContain('looks lighter than O');
    expect((await run('report', demo('suou-5'))).code).toBe(2);
    expect((await run('check', join(root, 'demo/data/aobae.cif'))).err).toContain('no atom sites');
  }, 60_000);
});

describe('nagare geometry and cell', () => {
  const truth = (name: string): string => join(root, 'demo/truth', `${name}.cif`);

  it('lists bonds, angles, rings and their relations with s.u.', async () => {
    const { code, out, err } = await run('geometry', truth('hanada-3'), '--rings', '--reach', '5', '--json');
    expect({ code, err }).toEqual({ code: 0, err: '' });
    const found = JSON.parse(out) as {
      operators: string[];
      bonds: { a: string; b: string; symmetryB: string; distance: number; su: number }[];
      angles: { b: string; value: number }[];
      rings: { atoms: string[]; members: string; rms: number; puckering: { form: string } }[];
      relations: { ring1: number; ring2: number; symmetry: string; angle: number; kind: string }[];
    };
    expect(found.bonds.find((b) => b.a === 'C5' && b.b === 'N1')!.distance).toBeCloseTo(1.15, 2);
    expect(found.angles.filter((a) => a.b === 'C4').reduce((sum, a) => sum + a.value, 0)).toBeCloseTo(360, 1);
    expect(found.rings).toHaveLength(1);
    expect(found.rings[0]).toMatchObject({ members: 'C6', puckering: { form: 'flat' } });
    expect(found.relations.length).toBeGreaterThan(0);
    for (const r of found.relations) {
      expect(r).toMatchObject({ ring1: 0, ring2: 0 });
      const operator = found.operators[Number(r.symmetry.split('_')[0]) - 1];
      expect(operator).toBeTypeOf('string');
    }
    expect((await run('geometry', truth('hanada-3'))).out).toMatch(/C5–N1 +1\.150/);
  });

  it('measures a molecule of an XYZ file, with the bonds that are proposed', async () => {
    const file = join(folder, 'water.xyz');
    writeFileSync(file, '3\nwater\nO 0 0 0.117\nH 0 0.757 -0.467\nH 0 -0.757 -0.467\n');
    const { bonds, angles } = JSON.parse((await run('geometry', file, '--json')).out) as {
      bonds: { a: string; b: string; distance: number; su: number }[];
      angles: { value: number }[];
    };
    expect(bonds.map((b) => `${b.a} ${b.b}`).sort()).toEqual(['O1 H1', 'O1 H2']);
    for (const b of bonds) {
      expect(b.distance).toBeCloseTo(Math.hypot(0.757, 0.584), 5);
      expect(b.su).toBe(0);
    }
    expect(angles[0]!.value).toBeCloseTo((2 * Math.atan(0.757 / 0.584) * 180) / Math.PI, 3);
  });

  it('tells what surrounds each centre, beside the rule of radii', async () => {
    const file = join(folder, 'rutile.cif');
    const e = shippedShelf().find((x) => x.id === 'rutile')!;
    writeFileSync(
      file,
      structureCif({ name: 'rutile', structure: e.structure, experiment: { kept: {} }, date: '2026-11-26' }),
    );
    const { out } = await run('coordination', file, '--json');
    const { centres } = JSON.parse(out) as { centres: Record<string, unknown>[] };
    expect(centres).toHaveLength(1);
    expect(centres[0]).toMatchObject({
      element: 'Ti',
      charge: 4,
      coordination: 6,
      shape: { name: 'octahedron' },
      radiusRatio: { cation: 0.605, anion: 1.36, predicted: 6 },
    });
    expect(Math.abs((centres[0]!['valenceSum'] as number) - 4)).toBeLessThan(0.15);
    const oxygen = JSON.parse((await run('coordination', file, '--centre', 'O', '--json')).out) as typeof centres & {
      centres: { coordination: number; shape: { name: string } }[];
    };
    expect(oxygen.centres[0]).toMatchObject({ coordination: 3, shape: { name: 'trigonal plane' } });
    expect((await run('coordination', file)).out).toContain('octahedron');
    expect((await run('coordination', file, '--centre', 'Xx')).err).toContain('neither an element nor an atom');
    expect((await run('coordination', truth('aobae'))).out).toContain('No cation and no metal');
  });

  it('tells what one cell holds', async () => {
    const cell = JSON.parse((await run('cell', truth('kasumi'), '--json')).out) as Record<string, unknown>;
    expect(cell).toMatchObject({ formula: 'C10 H10 Cl N O', z: 4, atoms: { C: 40, H: 40, Cl: 4, N: 4, O: 4 } });
    const salt = join(folder, 'salt.cif');
    const e = shippedShelf().find((x) => x.id === 'fluorite')!;
    writeFileSync(
      salt,
      structureCif({ name: 'salt', structure: e.structure, experiment: { kept: {} }, date: '2026-11-26' }),
    );
    const of = JSON.parse((await run('cell', salt, '--json')).out) as {
      multiplicities: { multiplicity: number; siteSymmetry: string; wyckoff: string }[];
      density: number;
    };
    expect(of).toMatchObject({ formula: 'Ca F2', z: 4, atoms: { Ca: 4, F: 8 } });
    expect(of.multiplicities.map((m) => [m.multiplicity, m.siteSymmetry, m.wyckoff])).toEqual([
      [4, 'm-3m', 'a'],
      [8, '-43m', 'c'],
    ]);
    expect(of.density).toBeCloseTo(3.18, 1);
    expect((await run('cell', join(root, 'demo/data/aobae.cif'))).err).toContain('no atom sites');
  });
});

describe('nagare pattern, fit, index and identify', () => {
  const demo = (name: string): string => join(root, 'demo/data', name);
  const phase = (id: string): string => {
    const e = shippedShelf().find((x) => x.id === id)!,
      path = join(folder, `${id}.cif`);
    writeFileSync(
      path,
      structureCif({
        name: id,
        structure: e.structure,
        experiment: { kept: { _chemical_name_common: e.name } },
        date: '2026-11-23',
      }),
    );
    return path;
  };
  const json = async (...args: string[]): Promise<Record<string, never>> => {
    const r = await run(...args, '--json');
    expect(r.err).toBe('');
    expect(r.code).toBe(0);
    return JSON.parse(r.out) as Record<string, never>;
  };

  it('lists the reflections of a model', async () => {
    const { reflections } = (await json(
      'pattern',
      phase('halite'),
      '--wavelength',
      '1.5406',
      '--from',
      '20',
      '--to',
      '60',
    )) as unknown as {
      reflections: {
        h: number;
        k: number;
        l: number;
        d: number;
        twoTheta: number;
        multiplicity: number;
        f2: number;
        intensity: number;
      }[];
    };
    expect(reflections.map((r) => `${r.h}${r.k}${r.l}`)).toEqual(['111', '200', '220', '311', '222']);
    expect(reflections[1]).toMatchObject({ multiplicity: 6, intensity: 100 });
    expect(reflections[1]!.twoTheta).toBeCloseTo(31.704, 2);
    expect((await run('pattern', phase('halite'), '--from', '90', '--to', '40')).err).toMatch(/range must run upwards/);
  }, 60_000);

  it('fits a mixture and writes the result as CIF', { tags: 'long' }, async () => {
    const out = join(folder, 'fit.cif');
    const r = (await json(
      'fit',
      demo('frit-12.xy'),
      '--phase',
      phase('yamabuki-frit'),
      '--phase',
      phase('kurobane-blue'),
      '--instrument',
      demo('kiln-diffractometer.json'),
      '--out',
      out,
    )) as unknown as {
      rwp: number;
      rexp: number;
      s: number;
      phases: {
        name: string;
        weightFraction: number;
        su: number;
        cell: number[];
        cellSu: number[];
        size: number;
        strain: number;
        rBragg: number;
      }[];
    };
    expect(r.s).toBeLessThan(1.3);
    expect(r.rwp / r.rexp).toBeCloseTo(r.s, 6);
    expect(r.phases.map((p) => p.name)).toEqual(['Yamabuki', 'Kurobane blue']);
    expect(Math.abs(r.phases[0]!.weightFraction - 0.58)).toBeLessThan(0.01);
    expect(r.phases[0]!.cellSu[0]).toBeGreaterThan(0);
    expect(r.phases[0]!.rBragg).toBeLessThan(0.05);
    const back = recognise(readFileSync(out, 'utf8'), 'fit.cif');
    expect(back.filter((b) => b.structure).length).toBe(2);
    expect(back.find((b) => b.powder)!.powder!.pattern.twoTheta.length).toBeGreaterThan(4000);
  });

  it('indexes a pattern or a list, and identifies', async () => {
    const a = (await json(
      'index',
      demo('hatsuyuki.cif'),
      '--instrument',
      demo('kiln-diffractometer.json'),
    )) as unknown as { cells: { a: number; volume: number; m20: number; f20: number; system: string }[] };
    expect(a.cells[0]!.system).toBe('orthorhombic');
    expect(a.cells[0]!.volume).toBeCloseTo(311.08, 0);
    const list = join(folder, 'peaks.txt');
    writeFileSync(list, '# 2theta\n28.443\n47.303\n56.123\n69.130\n76.377\n88.032\n94.954\n106.710\n114.094\n');
    const b = (await json('index', list, '--wavelength', '1.5406')) as unknown as typeof a;
    expect(b.cells[0]!.a).toBeCloseTo(5.431, 2);
    const c = (await json(
      'identify',
      demo('frit-12.xy'),
      '--elements',
      'Sn,Ti,Al,Co,Zn,O',
      '--instrument',
      demo('kiln-diffractometer.json'),
    )) as unknown as { phases: { id: string }[]; unexplained: number[] };
    expect(c.phases.map((p) => p.id)).toEqual(['yamabuki-frit', 'kurobane-blue']);
  }, 180_000);

  it('answers wrong powder input with one sentence and status 2', async () => {
    const bad = join(folder, 'bad.xy');
    writeFileSync(bad, `${Array.from({ length: 20 }, (_, i) => `${10 + i} 5`).join('\n')}\n30 x\n`);
    for (const [args, says] of [
      [['fit', demo('frit-12.xy')], /at least one --phase/],
      [['fit', bad, '--phase', phase('rutile')], /Line 21/],
      [['fit', demo('frit-12.xy'), '--phase', phase('rutile'), '--recipe', 'guess'], /no recipe "guess"/],
      [['fit', demo('frit-12.xy'), '--phase', phase('rutile'), '--instrument', demo('frit-12.xy')], /not JSON/],
      [['identify', demo('frit-12.xy'), '--elements', 'Zz'], /not an element/],
      [['index', join(folder, 'none.txt')], /no such file/],
    ] as const) {
      const r = await run(...args);
      expect(r.code).toBe(2);
      expect(r.err).toMatch(says);
    }
  }, 120_000);
});

describe('a command line', () => {
  const sentence = async (...args: string[]): Promise<string> => {
    const { code, out, err } = await run(...args);
    expect([args.join(' '), code, out]).toEqual([args.join(' '), 2, '']);
    expect(err).not.toContain('\n');
    return err;
  };

  it('that is not right is one sentence, which says where more is said', async () => {
    for (const name of ['constructor', '__proto__', 'toString'])
      expect(await sentence(name)).toBe(`"${name}" is not a command. See: nagare help.`);
    expect(await sentence('merge')).toBe('nagare merge needs a file: data.cif. See: nagare help merge.');
    expect(await sentence('merge', 'a.cif', 'b.cif')).toMatch(/more files than it takes/);
    expect(await sentence('merge', 'a.cif', '--frob')).toMatch(/^"--frob" is not an option of nagare merge\./);
    expect(await sentence('settle', 'a.cif', '--disorder')).toMatch(/needs a value/);
    expect(await sentence('build')).toMatch(/^nagare build needs to know what\./);
    for (const cycles of ['0.4', '1e9', '-3', 'many', '0', '1e999'])
      expect(await sentence('refine', 'a.cif', '--cycles', cycles)).toBe(
        `--cycles needs a whole number from 1 to 500, not "${cycles}". See: nagare help refine.`,
      );
    expect(await sentence('pattern', 'a.cif', '--wavelength', '0.001')).toMatch(/a number from 0\.1 to 5/);
    expect(await sentence('fit', 'a.xy', '--phase')).toMatch(/needs a value/);
  });

  it('tells what a command takes', async () => {
    const { code, out } = await run('help', 'refine');
    expect(code).toBe(0);
    for (const word of ['<model.cif>', '[data.cif]', '--adp <kind>', '--cycles <n>', '--out <file>', '--json'])
      expect(out).toContain(word);
    expect((await run('help', 'build')).out).toContain('supercell');
  });

  it('takes values that begin with a minus sign', async () => {
    const model = join(root, 'demo/data/nibiiro.cif');
    const turned = JSON.parse((await run('reset', model, '--setting', '-a,-b,c', '--json')).out) as object;
    expect(turned).toEqual(JSON.parse((await run('reset', model, '--setting=-a,-b,c', '--json')).out));
  });

  it('finds before the work that its file cannot be written', async () => {
    const kept = join(folder, 'kept.html');
    writeFileSync(kept, 'as it was');
    for (const [out, why] of [
      [join(folder, 'no/such/x.html'), 'its folder is not there'],
      [folder, 'it is a folder'],
      [join(kept, 'x.html'), 'what stands for its folder is a file'],
      [join(folder, `${'x'.repeat(300)}.html`), 'the name is too long'],
    ] as const)
      expect(await sentence('report', join(folder, 'not read at all.cif'), '--out', out)).toContain(why);
    // What stands there stays until there is something to take its place, and nothing is left where nothing was.
    expect(await sentence('report', join(folder, 'none.cif'), '--out', kept)).toMatch(/no such file/);
    expect(readFileSync(kept, 'utf8')).toBe('as it was');
    const fresh = join(folder, 'fresh.html');
    await sentence('report', join(folder, 'none.cif'), '--out', fresh);
    expect(existsSync(fresh)).toBe(false);
  });

  it('ends with status 2 where the data hold nothing to work on', async () => {
    const zeros = join(folder, 'zeros.xy'),
      list = join(folder, 'no-sigma.cif');
    writeFileSync(zeros, Array.from({ length: 300 }, (_, i) => `${10 + 0.1 * i} 0`).join('\n'));
    writeFileSync(list, data.toString().replace(/^( *-?\d+ +-?\d+ +-?\d+ +\S+) +\S+/gm, '$1 0'));
    expect(await sentence('identify', zeros, '--elements', 'Zn')).toMatch(/every intensity is zero/);
    expect((await run('merge', list)).code).toBe(2);
  });
});

describe('a terminal', () => {
  it('shows the answer, ends with the status, and says what went wrong beside it', { tags: 'long' }, async () => {
    const good = await shell('merge', join(root, 'demo/data/aobae.cif'), '--json');
    expect(good).toMatchObject({ code: 0, err: '' });
    expect(JSON.parse(good.out)).toEqual(
      JSON.parse((await run('merge', join(root, 'demo/data/aobae.cif'), '--json')).out),
    );
    const bad = await shell('merge', join(folder, 'nothing.cif'));
    expect(bad).toMatchObject({ code: 2, out: '' });
    expect(bad.err).toMatch(/^[^\n]*there is no such file\.\n$/);
    expect((await shell()).code).toBe(2);
    expect((await shell('--help')).out).toContain('settle [options] <model.cif> [data.cif]');
  });
});
