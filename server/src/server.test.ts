import type { AddressInfo } from 'node:net';
import { request, type Server } from 'node:http';
import { fileURLToPath } from 'node:url';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { checkedAnswer } from '@nagare/core/tasks/registry';
import { decodeWire, encodeWire } from '@nagare/core/tasks/wire';
import { recognise } from '@nagare/core/formats/recognise';
import { mergeForGroup } from '@nagare/core/solve/prepare';
import type { SettleReport, SettleResult } from '@nagare/core/settle/settle';
import { testCrystal } from '../../demo/src/test-crystals.ts';
import { newPatternModel, newPhase } from '@nagare/core/powder/model';
import { createApp } from './app.ts';

const root = fileURLToPath(new URL('../..', import.meta.url));
const demo = join(root, 'demo/data/benigara-2.cif');

describe('the server', () => {
  let server: Server, base: string;
  beforeAll(async () => {
    server = createApp(join(root, 'web')).listen(0, '127.0.0.1');
    // The tests work for seconds in this very thread; a connection must not be closed under the next request.
    server.keepAliveTimeout = 600_000;
    await new Promise((r) => server.once('listening', r));
    base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  });
  afterAll(() => void server.close());
  const asked = new Map<string, string>();
  const post = async (task: string, input: unknown) => {
    const r = await fetch(`${base}/api/tasks/${task}`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: typeof input === 'string' ? input : encodeWire(input),
    });
    const body = decodeWire(await r.text()) as { id: string; message: string };
    if (r.ok) asked.set(body.id, task);
    return { status: r.status, body };
  };
  const wait = async (id: string) => {
    for (;;) {
      const job = decodeWire(await (await fetch(`${base}/api/jobs/${id}`)).text()) as {
        state: string;
        result: never;
        message: string;
        reports: unknown[];
      };
      // Every answer passes the check that the page puts it through.
      if (job.state === 'done') await checkedAnswer(asked.get(id)!, job.result);
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

  it('settles a model, each stage reported as it ends with its map', async () => {
    const { structure, raw, wavelength } = testCrystal('OCc1ccncc1', 'P 1 21/c 1', 14, { dMin: 0.86 });
    const reflections = mergeForGroup(raw, structure.cell, structure.spaceGroup).reflections;
    const start = {
      ...structure,
      sites: structure.sites
        .filter((x) => x.element !== 'H')
        .map((x) => ({ ...x, displacement: { kind: 'iso' as const, u: 0.04 } })),
    };
    const { body } = await post('settle', {
      structure: start,
      reflections,
      wavelength,
      contents: { C: 6, H: 7, N: 1, O: 1 },
      disorder: 'ask',
    });
    const job = await wait(body.id);
    expect(job.state).toBe('done');
    const result = job.result as SettleResult;
    expect(result.settled).toBe(true);
    expect(result.stage.structure.sites.filter((x) => x.element === 'H')).toHaveLength(7);
    const stages = (job.reports as SettleReport[]).flatMap((r) => (r.kind === 'stage' ? [r.stage] : []));
    expect(stages.map((s) => s.title)).toEqual(result.stages.map((s) => s.title));
    // Typed arrays survive the way, and the covariance comes with the last stage alone.
    for (const s of stages) expect(s.map.values).toBeInstanceOf(Float32Array);
    expect(stages.map((s) => !!s.covariance)).toEqual(stages.map((_, i) => i === stages.length - 1));
  });

  it('cancels a job', async () => {
    const [data] = recognise(readFileSync(demo, 'utf8'), 'x');
    const { body } = await post('solve', {
      raw: data!.raw,
      cell: data!.cell,
      wavelength: 0.71075,
      seed: 1,
      seeds: 50,
      seconds: 100,
    });
    await new Promise((r) => setTimeout(r, 300));
    await fetch(`${base}/api/jobs/${body.id}`, { method: 'DELETE' });
    expect((await wait(body.id)).state).toBe('cancelled');
  });

  it('refuses what it does not know in a sentence', async () => {
    expect(await post('brew', {})).toMatchObject({ status: 404, body: { message: 'There is no task called "brew".' } });
    expect((await post('analyse', { raw: 1 })).body.message).toMatch(/input of "analyse" is not right: raw/);
    expect((await post('analyse', 'not json')).status).toBe(400);
    for (const name of ['__proto__', 'constructor', 'toString'])
      expect(await post(name, {})).toMatchObject({
        status: 404,
        body: { message: `There is no task called "${name}".` },
      });
    const lost = await fetch(`${base}/api/jobs/none`);
    expect(lost.status).toBe(404);
    expect(((await lost.json()) as { message: string }).message).toMatch(/no longer knows/);
  });

  it('answers by the names of this machine only', async () => {
    const { port } = server.address() as AddressInfo;
    const status = (host: string): Promise<number | undefined> =>
      new Promise((resolve, reject) => {
        const asking = request({ port, host: '127.0.0.1', path: '/api/shelf', headers: { host } }, (r) => {
          r.resume();
          resolve(r.statusCode);
        });
        asking.on('error', reject);
        asking.end();
      });
    expect(await status(`localhost:${port}`)).toBe(200);
    expect(await status('[::1]:4620')).toBe(200);
    expect(await status('elsewhere.example')).toBe(421);
    expect(await status('127.0.0.1.elsewhere.example:4620')).toBe(421);
  });

  it('does not count jobs that ended against those that run, and forgets one on demand', async () => {
    const input = { text: 'data_x\n_cell_length_a 5\n', fileName: 'x.cif' };
    const ids: string[] = [];
    for (let i = 0; i < 45; i++) {
      const { status, body } = await post('recognise', input);
      expect(status).toBe(202);
      ids.push(body.id);
      expect((await wait(body.id)).state).toBe('failed');
    }
    await fetch(`${base}/api/jobs/${ids.at(-1)}`, { method: 'DELETE' });
    expect((await fetch(`${base}/api/jobs/${ids.at(-1)}`)).status).toBe(404);
  });

  it('reads large requests beside its other answers', async () => {
    const order: string[] = [];
    const text = 'x'.repeat(1000);
    const large = post('recognise', { text, fileName: 7, more: Array.from({ length: 2e6 }, (_, i) => i) }).then((r) => {
      order.push('large');
      return r;
    });
    await new Promise((r) => setTimeout(r, 100));
    for (let i = 0; i < 5; i++) await (await fetch(`${base}/api/shelf?text=salt`)).text();
    order.push('small');
    expect((await large).status).toBe(400);
    expect(order).toEqual(['small', 'large']);
  });

  it('vets, tells symmetry and scales as jobs, with the input checked at the door', async () => {
    const suou = recognise(readFileSync(join(root, 'demo/data/suou-5.cif'), 'utf8'), 'suou-5')[0]!;
    const one = await post('vet', { structure: suou.structure, experiment: suou.experiment, items: suou.items });
    expect(one.status).toBe(202);
    const vetted = await wait(one.body.id);
    expect(vetted.state).toBe('done');
    expect((vetted.result as { findings: { check: string }[] }).findings.map((f) => f.check)).toContain(
      'missing hydrogens',
    );
    const hanada = recognise(readFileSync(join(root, 'demo/data/hanada-3.cif'), 'utf8'), 'hanada-3')[0]!;
    const two = await wait(
      (await post('symmetry', { structure: hanada.structure, tolerance: 0.25, raw: hanada.raw })).body.id,
    );
    expect(
      (two.result as { missed: { likely: boolean; group: { symbol: string } }[] }).missed.find((m) => m.likely)!.group
        .symbol,
    ).toBe('P n m a');
    expect((await post('symmetry', { structure: hanada.structure, tolerance: -1 })).status).toBe(400);
    // What cannot be done fails with its sentence, not with silence.
    const three = await wait(
      (
        await post('scale', {
          raw: hanada.raw,
          cell: hanada.cell,
          group: hanada.structure!.spaceGroup,
          wish: { batches: true, decay: false, harmonics: 4 },
        })
      ).body.id,
    );
    expect(three.state).toBe('failed');
    expect(three.message).toContain('from where each reflection was measured');
  }, 60_000);

  it('serves the shelf: search, paging, entries as JSON and CIF, wrong questions in a sentence', async () => {
    const get = async (
      path: string,
    ): Promise<{
      status: number;
      body: Record<string, never> & {
        total: number;
        message: string;
        entries: { id: string; warnings: string[]; structure?: unknown }[];
        nearest?: { change: string; entries: { id: string }[] }[];
      };
    }> => {
      const r = await fetch(`${base}/api/shelf${path}`);
      return { status: r.status, body: (await r.json()) as never };
    };
    const titania = await get('?present=Ti,O&count=2');
    expect(titania.body.entries.map((e) => e.id).sort()).toEqual(['anatase', 'rutile']);
    expect(titania.body.entries[0]!.structure).toBeUndefined();
    expect((await get('?formula=Ti O2&structures=yes')).body.entries[0]!.structure).toMatchObject({
      sites: expect.any(Array),
    });
    const pages = await Promise.all([1, 2].map((p) => get(`?present=O&size=7&page=${p}`)));
    expect(pages[0]!.body.total).toBeGreaterThan(40);
    expect(pages[0]!.body.entries.some((e) => pages[1]!.body.entries.some((f) => f.id === e.id))).toBe(false);
    expect((await get('?present=Ni,Al,O')).body.nearest!.some((n) => n.change === 'Zn in place of Ni')).toBe(true);
    expect(
      (await get('?volumeMin=160&volumeMax=165&spaceGroup=Fm-3m')).body.entries.some((e) => e.id === 'fluorite'),
    ).toBe(true);
    expect((await get('/rutile')).body).toMatchObject({ id: 'rutile', spaceGroup: 'P 42/m n m' });
    const cif = await (await fetch(`${base}/api/shelf/rutile.cif`)).text();
    expect(recognise(cif, 'rutile.cif')[0]!.structure!.sites.length).toBe(2);
    expect((await get('?present=Xx')).body.message).toMatch(/not an element/);
    expect((await get('?present=Xx')).status).toBe(400);
    expect((await get('?colour=red')).body.message).toMatch(/does not know "colour"/);
    expect((await get('?formula=((')).status).toBe(400);
    expect((await get('/nothing')).status).toBe(404);
  });

  it('fits a series on the job queue, each pattern from the one before', { tags: 'long' }, async () => {
    const files = ['titania-02', 'titania-03', 'titania-04'].map(
      (n) => recognise(readFileSync(join(root, `demo/data/${n}.xy`), 'utf8'), `${n}.xy`)[0]!.powder!.pattern,
    );
    const instrument = recognise(readFileSync(join(root, 'demo/data/kiln-diffractometer.json'), 'utf8'), 'i.json')[0]!
      .instrument!;
    const structure = async (id: string): Promise<never> =>
      ((await (await fetch(`${base}/api/shelf/${id}`)).json()) as { structure: never }).structure;
    const phases = [
      newPhase('a', 'Anatase', await structure('anatase')),
      newPhase('r', 'Rutile', await structure('rutile')),
    ];
    const job = await wait(
      (
        await post('series', {
          model: { phases, patterns: [newPatternModel(files[0]!, instrument, 2, 6)] },
          patterns: files,
          recipe: 'quantify',
        })
      ).body.id,
    );
    expect(job.message).toBeUndefined();
    const { steps } = job.result as {
      steps: {
        at: number;
        result: {
          s: number;
          phases: { cell: { c: number } }[];
          patterns: { weightFractions: { value: number }[] }[];
        };
      }[];
    };
    expect(steps.map((s) => s.at)).toEqual([350, 400, 450]);
    for (const [i, s] of steps.entries()) {
      const truth = JSON.parse(readFileSync(join(root, `demo/truth/titania-0${i + 2}.json`), 'utf8')) as {
        phases: { weight: number; cell: { c: number } }[];
      };
      expect(s.result.s).toBeLessThan(1.3);
      expect(Math.abs(s.result.patterns[0]!.weightFractions[0]!.value - truth.phases[0]!.weight)).toBeLessThan(0.015);
      expect(Math.abs(s.result.phases[0]!.cell.c / truth.phases[0]!.cell.c - 1)).toBeLessThan(3e-4);
    }
    expect((await post('series', { model: {}, patterns: files, recipe: 'quantify' })).status).toBe(400);
  });
});
