/** Measures that stay: what they are called, what they read, by how much that changed. */
import { siteIndices, type AtomRef } from '@nagare/core/crystal/atom-ref';
import { newId, type Structure } from '@nagare/core/crystal/structure';
import { formatMeasured } from '@nagare/core/crystal/uncertainty';
import { readThings, standsIn, type ReadingName, type Thing, type ThingReading } from '@nagare/core/geometry/things';
import type { UncertaintySource } from '@nagare/core/geometry/measure';
import { withBonding, type Bonding } from '@nagare/core/crystal/bonding';
import { bonded } from '@nagare/core/geometry/bonding-proposal';
import { findRings } from '@nagare/core/geometry/rings';
import { asksForRings, measureByWords } from '@nagare/core/model/measure-words';
import type { CovarianceData } from '@nagare/core/refine/covariance';
import { atomNames } from '../../frame/selection-measure.ts';
import type { NamedThing, Pin } from '../../store/looks.ts';

const READING_WORDS: Readonly<Record<ReadingName, string>> = {
  distance: 'distance',
  angle: 'angle',
  torsion: 'torsion',
  perpendicular: 'perpendicular',
  'perpendicular back': 'perpendicular the other way',
  offset: 'offset',
  'r.m.s. deviation': 'r.m.s. deviation',
  'largest deviation': 'largest deviation',
};

const digitsOf = (r: ThingReading): number => (r.unit === '°' ? 1 : 3);
const written = (r: ThingReading): string =>
  `${formatMeasured(r.value, r.su, digitsOf(r))}${r.unit === '°' ? '°' : ' Å'}`;

/** Changes smaller than this are not worth a word: half of the last digit shown. */
const UNCHANGED = { Å: 5e-4, '°': 0.05 };

export interface PinnedReading {
  readonly words: string;
  readonly value: string;
  /** Against the mark before, signed; empty where it did not change or was not there. */
  readonly change: string;
}

export interface PinReading {
  readonly name: string;
  readonly readings: readonly PinnedReading[];
  readonly source: UncertaintySource;
  /** Why there is no reading. */
  readonly problem?: string;
}

export const pinName = (pin: Pin): string => pin.names.join(' – ');

/** What a pin reads in a structure, and by how much that differs from the structure before. */
export function readPin(s: Structure, pin: Pin, covariance?: CovarianceData, before?: Structure): PinReading {
  const name = pinName(pin);
  try {
    const { readings, source } = readThings(s, pin.things, covariance);
    const old = before && standIn(before, pin.things) ? readThings(before, pin.things).readings : [];
    return {
      name,
      source,
      readings: readings.map((r, i) => ({
        words: READING_WORDS[r.name],
        value: written(r),
        change: old[i]?.name === r.name ? changeOf(r, old[i].value) : '',
      })),
    };
  } catch (e) {
    return { name, readings: [], source: 'none', problem: (e as Error).message };
  }
}

const standIn = (s: Structure, things: readonly Thing[]): boolean => {
  const sites = new Set(siteIndices(s).keys());
  return things.every((t) => standsIn(sites, t));
};

function changeOf(r: ThingReading, old: number): string {
  let d = r.value - old;
  // A torsion that passes 180° did not turn by a circle.
  if (r.name === 'torsion') d -= 360 * Math.round(d / 360);
  if (Math.abs(d) < UNCHANGED[r.unit]) return '';
  return `${d > 0 ? '+' : '−'}${Math.abs(d).toFixed(digitsOf(r))}`;
}

/** The first reading as the scene writes it. */
export const shortReading = (r: PinReading): string => r.readings[0]?.value ?? '';

/** Atoms along a chain (two to four), or a plane of more. Undefined where there is nothing to measure. */
export function pinOf(s: Structure, atoms: readonly AtomRef[]): Pin | undefined {
  if (atoms.length < 2) return undefined;
  const names = atomNames(s, atoms);
  if (atoms.length > 4)
    return { id: newId(), things: [{ kind: 'plane', atoms }], names: [`plane of ${listed(names)}`] };
  return { id: newId(), things: atoms.map((a) => ({ kind: 'point', atoms: [a] })), names };
}

const listed = (names: readonly string[]): string =>
  names.length > 6 ? `${names.slice(0, 5).join(' ')} … (${names.length})` : names.join(' ');

export const THING_WORDS: Readonly<Record<Thing['kind'], string>> = {
  point: 'middle',
  line: 'line',
  plane: 'plane',
  row: 'row',
  element: 'symmetry element',
};

/** A thing of atoms with a name that says what it is made of. */
export function namedThing(s: Structure, kind: 'point' | 'line' | 'plane', atoms: readonly AtomRef[]): NamedThing {
  const names = atomNames(s, atoms);
  const name = atoms.length === 1 ? names[0]! : `${THING_WORDS[kind]} of ${listed(names)}`;
  return { id: newId(), name, thing: { kind, atoms } };
}

/** Pins as comma-separated values: name, what, value, s.u., unit. */
export function pinsCsv(s: Structure, pins: readonly Pin[], covariance?: CovarianceData): string {
  const rows = pins.flatMap((pin) => {
    try {
      return readThings(s, pin.things, covariance).readings.map((r) =>
        [`"${pinName(pin).replace(/"/g, '""')}"`, r.name, r.value.toFixed(5), r.su ? r.su.toFixed(5) : '', r.unit].join(
          ',',
        ),
      );
    } catch {
      return [];
    }
  });
  return `${['measure,what,value,s.u.,unit', ...rows].join('\n')}\n`;
}

/** Beyond this many sites rings are not looked for while words are typed. */
const QUICK = 250;

/** A measure that words ask for, with what it reads; undefined where they ask for none. */
export function askedMeasure(
  s: Structure,
  bonding: Bonding | undefined,
  words: string,
): { pin: Pin; text: string } | undefined {
  // Bonds and rings are looked for only where words ask for rings.
  const rings =
    asksForRings(words) && s.sites.length <= QUICK
      ? findRings(bonded(withBonding(s, bonding))).map((r) => r.atoms)
      : [];
  const asked = measureByWords(s, words, rings);
  if (!asked) return undefined;
  const pin: Pin = { id: newId(), ...asked };
  const reading = readPin(s, pin);
  if (reading.problem) return undefined;
  return { pin, text: `${reading.name}: ${reading.readings.map((r) => `${r.words} ${r.value}`).join(', ')}` };
}
