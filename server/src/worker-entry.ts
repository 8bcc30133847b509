/** The inside of a Node worker thread. */
import { parentPort } from 'node:worker_threads';
import type { ToWorker } from '@nagare/core/tasks/messages';
import { serveTasks } from '@nagare/core/tasks/worker-side';

const port = parentPort!;
const heard = serveTasks((message) => port.postMessage(message));
port.on('message', (message: ToWorker) => heard(message));
