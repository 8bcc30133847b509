import { describe, expect, it } from 'vitest';
import { runCommand } from './commands.ts';

const voids = (...args: string[]) => runCommand(['voids', ...args], () => undefined);

describe('empty space in the terminal', () => {
  it('one object: volumes, voids, the curve, the packing', async () => {
    const { code, out } = await voids('demo/data/hachisu.cif', '--probe', '0.4', '--json');
    expect(code).toBe(0);
    const json = JSON.parse(out!);
    expect(Object.keys(json)).toEqual(
      expect.arrayContaining([
        'probe',
        'reached',
        'touched',
        'percentReached',
        'percentTouched',
        'voids',
        'curve',
        'packing',
      ]),
    );
    expect(json.touched).toBeGreaterThanOrEqual(json.reached);
    expect(json.curve).toHaveLength(30);
    for (let i = 1; i < 30; i++) expect(json.curve[i].reached).toBeLessThanOrEqual(json.curve[i - 1].reached);
    expect(json.packing).toBeGreaterThan(0.5);
  });

  it('says how large a probe would fit where nothing does', async () => {
    const { out } = await voids('demo/data/hachisu.cif', '--probe', '3');
    expect(out).toMatch(/fits nowhere; one of \d\.\d\d Å is the largest that does/);
  });

  it('refuses what is no probe and no grid', async () => {
    expect((await voids('demo/data/hachisu.cif', '--probe', '40')).problem).toContain('from 0 to 20');
    expect((await voids('demo/data/hachisu.cif', '--grid', '9')).problem).toContain('from 0.05 to 2');
  });
});

describe('the shape of the crystal in the terminal', () => {
  it('one object: forms that make up the surface, and the habit', async () => {
    const { code, out } = await runCommand(['shape', 'demo/data/kurumi-5.cif', '--json'], () => undefined);
    expect(code).toBe(0);
    const { forms, habit } = JSON.parse(out!);
    expect(forms.reduce((sum: number, f: { area: number }) => sum + f.area, 0)).toBeCloseTo(100, 0);
    expect(Math.min(...forms.map((f: { distance: number }) => f.distance))).toBe(1);
    expect(habit).toMatch(/block|plate|tablet|lath|needle|column/);
  });
});
