/** What can be done with files that have just been read, and where one goes afterwards. */
import type { Recognised } from '@nagare/core/formats/recognise';

/** One thing that a file held. */
export interface Arrived {
  readonly fileName: string;
  readonly found: Recognised;
}

export type Way =
  /** Patterns, instruments and structures into the powder project on screen. */
  | 'patterns into this'
  | 'patterns as new'
  /** Reflections into the project on screen, which has a structure and no data. */
  | 'reflections into this'
  /** Structures as marks of one project, to be compared. */
  | 'marks'
  | 'projects';

export interface Choice {
  readonly way: Way;
  readonly text: string;
}

/** The project on screen, if any is. */
export interface Here {
  readonly powder: boolean;
  /** A structure without reflections. */
  readonly structureAlone: boolean;
}

export const isStructureAlone = (r: Recognised): boolean => !!r.structure && !r.raw && !r.powder;

/** Ways to take in what was chosen, the likeliest first. */
export function choicesFor(chosen: readonly Arrived[], here: Here | undefined): Choice[] {
  const found = chosen.map((a) => a.found);
  if (!found.length) return [];
  const one = found.length === 1;
  const asNew: Choice = { way: 'projects', text: one ? 'Take it in' : `Take in as ${found.length} projects` };
  if (here?.powder) {
    const into: Choice = { way: 'patterns into this', text: 'Add to this project' };
    return found.some((f) => f.powder || f.instrument)
      ? [into, { way: 'patterns as new', text: 'As a new project' }]
      : [into];
  }
  if (found.some((f) => f.powder || f.instrument))
    return [{ way: 'patterns as new', text: one ? 'Take it in' : 'Take them in together' }];
  if (here?.structureAlone && one && found[0]!.raw)
    return [
      { way: 'reflections into this', text: 'Add to this project' },
      { way: 'projects', text: 'As a new project' },
    ];
  if (!one && found.every(isStructureAlone))
    return [{ way: 'marks', text: `Take in as ${found.length} marks to compare` }, asNew];
  return [asNew];
}

/** The station where work on what was taken in begins. */
export const stationAfter = (way: Way, chosen: readonly Arrived[]): string => {
  switch (way) {
    case 'patterns into this':
      return 'fit';
    case 'patterns as new':
      return chosen.some((a) => a.found.structure) ? 'fit' : 'intake';
    case 'reflections into this':
      return 'intake';
    case 'marks':
      return 'relate';
    case 'projects':
      return chosen.length && isStructureAlone(chosen.at(-1)!.found) ? 'relate' : 'intake';
  }
};
