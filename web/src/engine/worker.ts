/** The inside of a page worker. */
import type { ToWorker } from '@nagare/core/tasks/messages';
import { serveTasks } from '@nagare/core/tasks/worker-side';

const heard = serveTasks((message) => postMessage(message));
addEventListener('message', ({ data }: MessageEvent<ToWorker>) => heard(data));
