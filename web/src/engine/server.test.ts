import { afterEach, describe, expect, it, vi } from 'vitest';
import { Cancelled } from '@nagare/core/task-context';
import { encodeWire } from '@nagare/core/tasks/wire';
import { runOnServer } from './server.ts';

afterEach(() => vi.unstubAllGlobals());

/** A server that takes a job and answers as it is told. */
function stubServer(answer: (url: string, init: RequestInit) => Promise<Response> | Response): string[] {
  const asked: string[] = [];
  vi.stubGlobal('fetch', (url: string, init: RequestInit = {}) => {
    asked.push(`${init.method ?? 'GET'} ${url}`);
    return Promise.resolve(answer(url, init));
  });
  return asked;
}
const json = (value: unknown, status = 200): Response => new Response(encodeWire(value), { status });
const never = (): Promise<Response> => new Promise(() => undefined);

describe('work on the server', () => {
  it('is stopped at once, whether the server answers or not', async () => {
    stubServer(never);
    const frozen = runOnServer('vet', {});
    frozen.cancel();
    await expect(frozen.result).rejects.toBeInstanceOf(Cancelled);

    const asked = stubServer((url) => (url.startsWith('/api/tasks') ? json({ id: 'j' }, 202) : never()));
    const later = runOnServer('vet', {});
    await vi.waitFor(() => expect(asked).toContain('GET /api/jobs/j?since=0'));
    later.cancel();
    await expect(later.result).rejects.toBeInstanceOf(Cancelled);
    expect(asked).toContain('DELETE /api/jobs/j');
  });

  it('says that the server is gone, or that something else answers there', async () => {
    stubServer(() => Promise.reject(new TypeError('Failed to fetch')));
    await expect(runOnServer('vet', {}).result).rejects.toThrow(/server cannot be reached\. Choose "run here"/);
    stubServer(() => new Response('<html>a page</html>'));
    await expect(runOnServer('vet', {}).result).rejects.toThrow(/server cannot be reached/);
    stubServer(() => json({ message: 'The server is busy with other jobs.' }, 503));
    await expect(runOnServer('vet', {}).result).rejects.toThrow('The server is busy with other jobs.');
  });

  it('sends nothing that was stopped while it was being written', async () => {
    const asked = stubServer(() => json({ id: 'l' }, 202));
    let written!: (text: string) => void;
    const writing = new Promise<string>((resolve) => (written = resolve));
    const running = runOnServer('vet', {}, undefined, () => writing);
    running.cancel();
    await expect(running.result).rejects.toBeInstanceOf(Cancelled);
    written('{}');
    await writing;
    await Promise.resolve();
    expect(asked).toEqual([]);
  });

  it('gives reports and the answer, and lets the job go', async () => {
    const done = { state: 'done', next: 2, reports: ['a', 'b'], result: { x: Float64Array.of(1, 2) } };
    const asked = stubServer((url, { method }) => {
      if (method === 'DELETE') return json({});
      return url.startsWith('/api/tasks') ? json({ id: 'k' }, 202) : json(done);
    });
    const heard: unknown[] = [];
    const running = runOnServer('vet', {}, (r) => heard.push(r));
    expect(await running.result).toEqual({ x: Float64Array.of(1, 2) });
    expect(heard).toEqual(['a', 'b']);
    expect(asked.at(-1)).toBe('DELETE /api/jobs/k');
  });
});
