/** Tries seeds in a thread of its own, so that one that never ends can be stopped. */
import { parentPort } from 'node:worker_threads';
import { attempt } from './campaign.ts';
import type { DoorName } from './doors.ts';

export interface Order {
  readonly door: DoorName;
  readonly from: number;
  readonly count: number;
}

const port = parentPort!;
port.on('message', ({ door, from, count }: Order) => {
  void (async () => {
    for (let seed = from; seed < from + count; seed++) {
      port.postMessage({ kind: 'at', seed });
      const finding = await attempt(door, seed);
      if (finding) port.postMessage({ kind: 'found', finding });
    }
    port.postMessage({ kind: 'done' });
  })();
});
