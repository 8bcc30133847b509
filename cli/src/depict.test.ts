import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { decode } from 'fast-png';
import { describe, expect, it } from 'vitest';
import { figureFrom } from '@nagare/core/depict/templates';
import { tunnelOxide } from '../../demo/src/structures.ts';
import { runCommand } from './commands.ts';

const folder = mkdtempSync(join(tmpdir(), 'nagare-depict-'));
const at = (name: string): string => join(folder, name);
const depict = async (...args: string[]) => {
  const { code, out, problem } = await runCommand(
    ['depict', 'demo/data/nibiiro.cif', ...args, '--json'],
    () => undefined,
  );
  return { code, problem, json: out ? JSON.parse(out) : undefined };
};

describe('pictures of the terminal', () => {
  it('as vectors: along an axis, a block of cells, with labels', async () => {
    const { code, json } = await depict('--out', at('x.svg'), '--view', 'c', '--extent', 'block:2,1,1', '--style', 'balls,labels'); // prettier-ignore
    expect(code).toBe(0);
    const svg = readFileSync(at('x.svg'), 'utf8');
    expect(svg).toMatch(/^<svg/);
    expect(svg).toContain('Sb1');
    expect(json).toMatchObject({ kind: 'svg', width: 1200, height: 900, rays: false });
    expect(json.atoms).toBeGreaterThan(20);
  });

  it('as pixels: of the size asked for, something on the ground, darker with rays', async () => {
    const mean = (name: string): number => {
      const { data, width, height } = decode(readFileSync(at(name)));
      expect([width, height]).toEqual([160, 120]);
      let sum = 0;
      for (let i = 0; i < data.length; i += 4) sum += data[i]!;
      return sum / (data.length / 4);
    };
    await depict('--out', at('plain.png'), '--width', '160');
    const { json } = await depict('--out', at('rays.png'), '--width', '160', '--rays');
    expect(json.rays).toBe(true);
    const [plain, rays] = [mean('plain.png'), mean('rays.png')];
    expect(plain).toBeLessThan(245);
    expect(rays).toBeLessThan(plain);
  });

  it('from a figure in a file, what is written behind the command going first', async () => {
    writeFileSync(
      at('figure.json'),
      JSON.stringify({ view: '[1 1 0]', extent: 'cell', hide: ['O'], style: ['no cell'] }),
    );
    const { json } = await depict('--figure', at('figure.json'), '--out', at('f.svg'));
    expect(json).toMatchObject({ atoms: 6 });
    const closed = await depict('--figure', at('figure.json'), '--out', at('f.svg'), '--extent', 'closed');
    expect(closed.json.atoms).toBeGreaterThan(json.atoms);
  });

  it('from a figure that the page saved: its panels, rules and letters', async () => {
    const figure = figureFrom(tunnelOxide(), 'channel');
    writeFileSync(at('saved.json'), JSON.stringify({ format: 'nagare figure', version: 1, figure, structures: {} }));
    const run = async (...args: string[]) => {
      const { out, problem } = await runCommand(
        ['depict', 'demo/data/hachisu.cif', '--figure', at('saved.json'), ...args, '--json'],
        () => undefined,
      );
      return { problem, json: out ? JSON.parse(out) : undefined };
    };
    const { json } = await run('--out', at('s.svg'));
    expect(json).toMatchObject({ panels: 2, polyhedra: 96, width: 2067, height: 1004 });
    const svg = readFileSync(at('s.svg'), 'utf8');
    for (const id of ['panel-a', 'panel-b', 'legend']) expect(svg).toContain(`id="${id}"`);
    const { data, width, height } =
      (await run('--out', at('s.png'), '--width', '200'), decode(readFileSync(at('s.png'))));
    expect([width, height]).toEqual([200, 97]);
    // Both halves hold something.
    const inked = [0, 1].map((half) => {
      let n = 0;
      for (let y = 0; y < height; y++)
        for (let x = half * 100; x < half * 100 + 100; x++) if (data[4 * (y * width + x)]! < 200) n++;
      return n;
    });
    expect(Math.min(...inked)).toBeGreaterThan(200);
    // Seen and cut otherwise.
    const cell = await run('--out', at('s.svg'), '--view', 'a', '--extent', 'cell');
    expect(cell.json.polyhedra).toBeLessThan(96);
    writeFileSync(
      at('saved.json'),
      JSON.stringify({ format: 'nagare figure', version: 1, figure: { ...figure, dpi: 'many' } }),
    );
    expect((await run('--out', at('s.svg'))).problem).toContain('figure.dpi');
  });

  it('says in a sentence what is wrong', async () => {
    expect((await depict('--out', 'x.jpg')).problem).toContain('--out picture.svg');
    expect((await depict('--out', at('x.svg'), '--view', 'sideways')).problem).toContain('no view');
    writeFileSync(at('odd.json'), '{"colour": 1}');
    expect((await depict('--out', at('x.svg'), '--figure', at('odd.json'))).problem).toContain('is no figure');
    expect((await depict('--out', at('x.svg'), '--width', '20')).problem).toContain('from 50 to 12000');
  });
});
