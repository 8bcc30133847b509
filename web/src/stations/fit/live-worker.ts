/** The worker of the live pattern. */
import { LivePattern, type LiveOrder } from './live-pattern.ts';

const live = new LivePattern();
addEventListener('message', ({ data }: MessageEvent<LiveOrder>) => postMessage(live.answer(data)));
