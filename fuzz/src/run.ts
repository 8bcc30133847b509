/** npm run fuzz -- [--count 100000] [--seed 1] [--door readers|projects|requests|http|terminal]: tries every door with wrong things. */
import { mkdirSync, writeFileSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { fileURLToPath } from 'node:url';
import { parseArgs } from 'node:util';
import { Worker } from 'node:worker_threads';
import { caseOf, type Finding } from './campaign.ts';
import type { DoorName } from './doors.ts';
import type { Order } from './thread.ts';

/** Of the whole, how much each door gets: the readers are many. */
const SHARES: Readonly<Record<DoorName, number>> = {
  readers: 0.7,
  projects: 0.1,
  requests: 0.1,
  http: 0.05,
  terminal: 0.05,
};
const BATCH = 500;
/** ms without a sign of life after which a thread is taken to hang; making a finding small takes a while. */
const HANGS = 60_000;

const { values } = parseArgs({
  options: {
    count: { type: 'string', default: '100000' },
    seed: { type: 'string', default: '1' },
    door: { type: 'string' },
  },
});
const count = Number(values.count),
  first = Number(values.seed) * 1_000_000;
const doors = (Object.keys(SHARES) as DoorName[]).filter((d) => !values.door || d === values.door);

const orders: Order[] = doors.flatMap((door) => {
  const many = Math.round(count * (doors.length === 1 ? 1 : SHARES[door]));
  return Array.from({ length: Math.ceil(many / BATCH) }, (_, i) => ({
    door,
    from: first + i * BATCH,
    count: Math.min(BATCH, many - i * BATCH),
  }));
});

type Message = { kind: 'at'; seed: number } | { kind: 'found'; finding: Finding } | { kind: 'done' };

const findings: Finding[] = [];
let tried = 0;

function report(f: Finding): void {
  findings.push(f);
  process.stdout.write(
    `\n${f.door}, seed ${f.seed}, ${f.about}: ${f.what}\n${f.text.slice(0, 400)}${f.text.length > 400 ? ' …' : ''}\n`,
  );
}

/** Works through the orders in one thread after another. */
async function work(): Promise<void> {
  for (let order = orders.shift(); order; order = orders.shift()) await obey(order);
}

function obey(order: Order): Promise<void> {
  return new Promise((resolve) => {
    const entry = new URL('./thread.ts', import.meta.url).href;
    const worker = new Worker(
      `import('tsx/esm/api').then(({ register }) => { register(); return import(${JSON.stringify(entry)}); })`,
      { eval: true },
    );
    let at = order.from;
    let watch: NodeJS.Timeout;
    const end = (): void => {
      clearTimeout(watch);
      void worker.terminate();
      tried += at - order.from + 1;
      resolve();
    };
    const lost = (what: string): void => {
      const { about, text } = caseOf(order.door, at);
      report({ door: order.door, seed: at, about, what, text });
      // What is left of the order goes back to the others.
      if (at + 1 < order.from + order.count)
        orders.unshift({ ...order, from: at + 1, count: order.from + order.count - at - 1 });
      end();
    };
    const wait = (): void => {
      clearTimeout(watch);
      watch = setTimeout(() => lost(`no end after ${HANGS / 1000} s`), HANGS);
    };
    worker.on('message', (m: Message) => {
      wait();
      if (m.kind === 'at') at = m.seed;
      else if (m.kind === 'found') report(m.finding);
      else end();
    });
    worker.on('error', (e: Error) => lost(`the thread ended: ${e.message.slice(0, 200)}`));
    wait();
    worker.postMessage(order);
  });
}

const started = Date.now();
await Promise.all(Array.from({ length: availableParallelism() }, work));
const seconds = ((Date.now() - started) / 1000).toFixed(0);
process.stdout.write(`\n${tried} tries at ${doors.join(', ')} in ${seconds} s: ${findings.length} findings.\n`);
if (findings.length) {
  const folder = fileURLToPath(new URL('../../.scratch/', import.meta.url));
  mkdirSync(folder, { recursive: true });
  writeFileSync(`${folder}fuzz.json`, JSON.stringify(findings, null, 1));
  process.stdout.write('They are in .scratch/fuzz.json, each with its smallest text.\n');
}
process.exit(findings.length ? 1 : 0);
