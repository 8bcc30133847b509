import { describe, expect, it } from 'vitest';
import { runCommand } from './commands.ts';

const wishes = async (...args: string[]) => {
  const { code, out, problem } = await runCommand(['wishes', ...args, '--json'], () => undefined);
  return { code, problem, json: out ? JSON.parse(out) : undefined };
};

describe('wishes of the terminal', () => {
  it('spots with who grants them, contacts with what was expected, and one figure', async () => {
    const { code, json } = await wishes('demo/truth/aobae.cif', '--probes', 'donor,acceptor,halogen');
    expect(code).toBe(0);
    expect(new Set(json.spots.map((w: { probe: string }) => w.probe))).toEqual(
      new Set(['donor', 'acceptor', 'halogen']),
    );
    for (const w of json.spots) {
      expect([true, false, 'half']).toContain(w.granted);
      expect(w.by === null).toBe(w.granted === false);
      if (w.granted === true) expect(w.distance).toBeLessThanOrEqual(1.2);
    }
    expect(json.contacts.some((c: { expected: boolean }) => c.expected)).toBe(true);
    expect(json.served).toBeGreaterThan(0);
    expect(json.served).toBeLessThan(1);
  });

  it('of the molecule that holds a site', async () => {
    const { json } = await wishes('demo/truth/aobae.cif', '--site', 'O6');
    expect(json.molecule).toBe('H2 O');
  });

  it('names the probes where one is not known, and a site that is not there', async () => {
    const unknown = await wishes('demo/truth/aobae.cif', '--probes', 'donor,sodium');
    expect(unknown.code).toBe(2);
    expect(unknown.problem).toMatch(/"sodium" is not a probe.*charged donor/);
    expect((await wishes('demo/truth/aobae.cif', '--site', 'X1')).problem).toContain('no site "X1"');
  });
});
