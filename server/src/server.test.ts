import type { AddressInfo } from 'node:net';
import type { Server } from 'node:http';
import { fileURLToPath } from 'node:url';
import { execFile } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { decodeWire, encodeWire } from '@nagare/core/tasks/wire';
import { recognise } from '@nagare/core/formats/recognise';
import { createApp } from './app.ts';

const root = fileURLToPath(new URL('../..', import.meta.url));
const demo = join(root, 'demo/data/benigara-2.cif');

describe('the server', () => {
  let server: Server, base: string;
  beforeAll(async () => {
    server = createApp(join(root, 'web')).listen(0, '127.0.0.1');
    await new Promise((r) => server.once('listening', r));
    base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  });
  afterAll(() => void server.close());
  const post = async (task: string, input: unknown) => {
    const r = await fetch(`${base}/api/tasks/${task}`, { method: 'POST', headers: { 'content-type': 'application/json' }, body: typeof input === 'string' ? input : encodeWire(input) });
    return { status: r.status, body: decodeWire(await r.text()) as { id: string; message: string } };
  };
  const wait = async (id: string) => {
    for (;;) {
      const job = decodeWire(await (await fetch(`${base}/api/jobs/${id}`)).text()) as { state: string; result: never; message: string; reports: unknown[] };
      if (job.state !== 'running') return job;
      await new Promise((r) => setTimeout(r, 60));
    }
  };

  it('sends security headers', async () => {
    const { headers } = await fetch(base);
    expect(headers.get('content-security-policy')).toContain("default-src 'self'");
    expect(headers.get('x-content-type-options')).toBe('nosniff');
    expect(headers.get('x-powered-by')).toBeNull();
  });

  it('runs a task as a background job and gives the same answer as here', async () => {
    const text = readFileSync(demo, 'utf8');
    const { status, body } = await post('recognise', { text, fileName: 'benigara-2.cif' });
    expect(status).toBe(202);
    const job = await wait(body.id);
    expect(job.state).toBe('done');
    expect(job.result).toEqual(decodeWire(encodeWire(recognise(text, 'benigara-2.cif'))));
  });

  it('cancels a job', async () => {
    const [data] = recognise(readFileSync(demo, 'utf8'), 'x');
    const { body } = await post('solve', { raw: data!.raw, cell: data!.cell, wavelength: 0.71075, seed: 1, seeds: 50, seconds: 100 });
    await new Promise((r) => setTimeout(r, 300));
    await fetch(`${base}/api/jobs/${body.id}`, { method: 'DELETE' });
    expect((await wait(body.id)).state).toBe('cancelled');
  });

  it('refuses what it does not know in a sentence', async () => {
    expect(await post('brew', {})).toMatchObject({ status: 404, body: { message: 'There is no task called "brew".' } });
    expect((await post('analyse', { raw: 1 })).body.message).toMatch(/input of "analyse" is not right: raw/);
    expect((await post('analyse', 'not json')).status).toBe(400);
    const lost = await fetch(`${base}/api/jobs/none`);
    expect(lost.status).toBe(404);
    expect(((await lost.json()) as { message: string }).message).toMatch(/no longer knows/);
  });
});

describe('the terminal', () => {
  const folder = mkdtempSync(join(tmpdir(), 'nagare-'));
  const run = (...args: string[]) => new Promise<{ code: number; out: string; err: string }>((resolve) => {
    execFile('npx', ['tsx', 'cli/src/main.ts', ...args], { cwd: root, maxBuffer: 1 << 26 }, (e, out, err) => resolve({ code: e ? Number((e as { code?: number }).code) : 0, out, err: err.split('\n').filter((l) => !l.startsWith('npm warn')).join('\n') }));
  });

  it('merges, solves and refines with one JSON object each', async () => {
    const m = JSON.parse((await run('merge', demo, '--json')).out) as { spaceGroups: { number: number }[]; rInt: number; unique: number };
    expect(m.spaceGroups[0]!.number).toBe(2);
    expect(m.rInt).toBeLessThan(0.1);
    const model = join(folder, 'model.cif'), refined = join(folder, 'refined.cif');
    const s = JSON.parse((await run('solve', demo, '--seed', '4', '--out', model, '--json')).out) as { spaceGroup: { number: number; hall: string }; atoms: unknown[]; r1: number; seconds: number };
    expect(s.spaceGroup).toMatchObject({ number: 2, hall: '-P 1' });
    expect(s.atoms).toHaveLength(38);
    const r = JSON.parse((await run('refine', model, demo, '--adp', 'aniso', '--out', refined, '--json')).out) as Record<string, number>;
    expect(r['r1']).toBeLessThan(0.07);
    expect(r['maxShiftOverSu']).toBeLessThan(0.05);
    expect(r['parameters']).toBe(1 + 38 * 9);
    // The refined CIF carries its reflections, so it can be refined on its own.
    const again = JSON.parse((await run('refine', refined, '--cycles', '5', '--json')).out) as Record<string, number>;
    expect(Math.abs(again['r1']! - r['r1']!)).toBeLessThan(0.0015);
  });

  it('answers bad input with a sentence and exit status 2', async () => {
    const bad = join(folder, 'bad.cif');
    writeFileSync(bad, 'data_x\n_cell_length_a oops\n');
    for (const [args, message] of [[['merge', join(folder, 'none.cif')], /no such file/], [['merge', bad], /Line 2: _cell_length_a is "oops"/], [['brew'], /"brew" is not a command/], [['refine', demo], /no atom sites/], [['solve', demo, '--space-group', 'P 7'], /not a known symbol/], [['solve', demo, '--formula', 'Qq2'], /Qq/], [['merge', demo, '--colour', 'red'], /--colour/]] as [string[], RegExp][]) {
      const { code, out, err } = await run(...args, ...(args.length > 1 ? ['--json'] : []));
      expect(code, args.join(' ')).toBe(2);
      expect(out).toBe('');
      expect(err).toMatch(message);
      expect(err).not.toMatch(/\s+at .*\.ts:/);
    }
  });
});
