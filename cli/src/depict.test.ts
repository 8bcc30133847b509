import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { decode } from 'fast-png';
import { describe, expect, it } from 'vitest';
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

  it('says in a sentence what is wrong', async () => {
    expect((await depict('--out', 'x.jpg')).problem).toContain('--out picture.svg');
    expect((await depict('--out', at('x.svg'), '--view', 'sideways')).problem).toContain('no view');
    writeFileSync(at('odd.json'), '{"colour": 1}');
    expect((await depict('--out', at('x.svg'), '--figure', at('odd.json'))).problem).toContain('is no figure');
    expect((await depict('--out', at('x.svg'), '--width', '20')).problem).toContain('from 50 to 12000');
  });
});
