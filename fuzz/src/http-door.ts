/** Requests to the server as bytes on its socket: wrong lines, headers and bodies, whatever clients and ill will may send. */
import { connect, type AddressInfo } from 'node:net';
import type { Server } from 'node:http';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createApp } from '../../server/src/app.ts';
import type { Random } from '@nagare/core/math/random';
import type { TaskRunner } from '../../server/src/jobs.ts';
import { checkedInput } from '@nagare/core/tasks/registry';
import { decodeWire, encodeWire } from '@nagare/core/tasks/wire';
import { mutated } from './mutate.ts';
import { complaintAboutRefusal } from './oracle.ts';

/** Answers at the door of the tasks and computes nothing: what threads make of right input is no matter of HTTP. */
const doorkeeper: TaskRunner = {
  runText(task, bytes, onAccepted) {
    const answer = async (): Promise<string> => {
      let value: unknown;
      try {
        value = decodeWire(new TextDecoder().decode(bytes));
      } catch {
        throw new SyntaxError('The request is not JSON.');
      }
      await checkedInput(task, value);
      onAccepted();
      return encodeWire({});
    };
    return { result: answer(), cancel: () => undefined };
  },
};

let running: Promise<number> | undefined;

/** The port of a server with nothing but its first page. */
function port(): Promise<number> {
  return (running ??= new Promise((resolve) => {
    const folder = mkdtempSync(join(tmpdir(), 'nagare-fuzz-http-'));
    writeFileSync(join(folder, 'index.html'), '<!doctype html><title>here</title>');
    const server: Server = createApp(folder, doorkeeper).listen(0, '127.0.0.1', () => {
      server.unref();
      resolve((server.address() as AddressInfo).port);
    });
  }));
}

/** ms of silence after which nothing more is waited for: the rest of a request that never comes. */
const PATIENCE = 400;
/** ms within which a right request has its answer, also on a busy machine. */
const SURE = 10_000;

/** Sends text as bytes and reads until the other side has nothing more to say. */
function exchange(text: string, at: number, patience: number): Promise<string> {
  return new Promise((resolve) => {
    const socket = connect(at, '127.0.0.1');
    const parts: Buffer[] = [];
    const end = (): void => {
      socket.destroy();
      resolve(Buffer.concat(parts).toString('utf8'));
    };
    socket.setTimeout(patience, end);
    socket.on('data', (part) => parts.push(part));
    socket.on('close', end);
    // A socket that the server has closed already.
    socket.on('error', end);
    // Not ended: a client that closes its side takes its request back.
    socket.write(Buffer.from(text, 'utf8'));
  });
}

const withBody = (path: string, body: string): string =>
  `POST ${path} HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/json\r\nContent-Length: ${Buffer.byteLength(body)}\r\nConnection: close\r\n\r\n${body}`;
const asking = (method: string, path: string): string =>
  `${method} ${path} HTTP/1.1\r\nHost: 127.0.0.1\r\nConnection: close\r\n\r\n`;

const RIGHT: readonly string[] = [
  withBody('/api/tasks/vet', encodeWire({ structure: 1 })),
  withBody('/api/tasks/analyse', '{"raw":{"h":{"$":"i32","v":"AAAA"}},"cell":[5,5,5,90,90,90]}'),
  withBody('/api/tasks/fit%20series', '{}'),
  asking('GET', '/api/jobs/3f0e?since=2'),
  asking('DELETE', '/api/jobs/3f0e'),
  asking('GET', '/api/shelf?present=Zn,O&volumeMin=20&page=1&size=5'),
  asking('GET', '/api/shelf/rutile.cif'),
  asking('GET', '/projects/abc/refine'),
  asking('GET', '/assets/index.js'),
  asking('OPTIONS', '/api/tasks/settle'),
];

/** Paths and headers that lead elsewhere. */
const ODD_PATHS = [
  '/../../etc/passwd',
  '/assets/..%2f..%2fserver/src/app.ts',
  '/%00',
  '/%',
  '/api/tasks/__proto__',
  '/api/tasks/constructor',
  '/api/jobs/__proto__',
  '/api/shelf?present[]=x&present[__proto__]=1',
  '/api/shelf?size=1e9&page=-3',
  '/api/shelf/%E0%A4%A',
  `/${'a'.repeat(20_000)}`,
];

function request(random: Random): string {
  const pick = <T>(list: readonly T[]): T => list[random.below(list.length)]!;
  const right = pick(RIGHT);
  if (random.next() < 0.25) return asking(pick(['GET', 'POST', 'PUT', 'DELETE', 'HEAD', 'BREW']), pick(ODD_PATHS));
  if (random.next() < 0.15)
    return right.replace(/^Host: .*$/m, `Host: ${pick(['example.invalid', '', 'localhost@x', '[::1'])}`);
  return mutated(right, pick(RIGHT), random);
}

/** What an answer should not have been. */
function complaint(answer: string): string | undefined {
  // What is no request at all may be left without an answer.
  if (!answer) return undefined;
  const status = Number(/^HTTP\/1\.1 (\d{3})/.exec(answer)?.[1]);
  if (!status) return `no answer of HTTP: ${answer.slice(0, 80)}`;
  if (status >= 500) return `status ${status}`;
  const [head, ...rest] = answer.split('\r\n\r\n');
  const body = rest.join('\r\n\r\n');
  if (/root:|express\(\)/.test(body)) return 'a file that is none of its own';
  if (status < 400 || !body || !/application\/json/i.test(head!)) return undefined;
  const message = /"message":("(?:[^"\\]|\\.)*")/.exec(body)?.[1];
  return message ? complaintAboutRefusal(JSON.parse(message) as string) : `status ${status} without a sentence`;
}

export function httpCase(random: Random): {
  about: string;
  text: string;
  run(text: string): Promise<string | undefined>;
} {
  return {
    about: 'bytes to the server',
    text: request(random),
    async run(text) {
      const at = await port();
      const found = complaint(await exchange(text, at, PATIENCE));
      if (found) return found;
      const after = await exchange(asking('GET', '/'), at, SURE);
      return /^HTTP\/1\.1 200/.test(after) ? undefined : 'the server does not answer any more';
    },
  };
}
