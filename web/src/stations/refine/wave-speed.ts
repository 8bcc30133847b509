/** What wavefunctions take on this machine: learned from every round, kept in the browser. */
import { z } from 'zod';
import type { Place } from '../../engine/engine.ts';
import { remember, remembered } from '../../store/remembered.ts';

/** 10⁹ multiplications a second, before anything was learned. */
const USUAL = 2;
const key = (place: Place): string => `wave speed ${place}`;

export const waveSpeed = (place: Place): number => remembered(key(place), z.number().positive(), USUAL);

/** Whether a round was ever timed there. */
export const isLearned = (place: Place): boolean =>
  remembered(key(place), z.number().optional(), undefined) !== undefined;

/** Takes a round that ended into account: half of what is thought afterwards comes from it. */
export function learnSpeed(place: Place, work: number, seconds: number): void {
  if (!(work > 0) || !(seconds > 0.2)) return;
  const seen = work / seconds;
  remember(key(place), isLearned(place) ? Math.sqrt(seen * waveSpeed(place)) : seen);
}

/** "about 4 minutes", as roughly as it is known. */
export function roughTime(seconds: number): string {
  if (seconds < 10) return 'some seconds';
  if (seconds < 90) return `about ${Math.round(seconds / 10) * 10} seconds`;
  if (seconds < 5400) return `about ${Math.round(seconds / 60)} minutes`;
  return `about ${(seconds / 3600).toFixed(1)} hours`;
}
