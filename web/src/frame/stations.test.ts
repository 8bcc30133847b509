import { describe, expect, it } from 'vitest';
import {
  firstStation,
  STATIONS,
  stationsShown,
  stopStates,
  type HowFar,
  type StationId,
  type StopState,
} from './stations.ts';

const NOTHING: HowFar = {
  project: { id: 'p', name: 'Test', created: 1, updated: 1, experiment: { kept: {} } },
  head: undefined,
  looks: { figures: [] },
  intake: undefined,
  hasData: false,
  solve: undefined,
  work: undefined,
  patterns: 0,
  powder: undefined,
  fit: undefined,
  vetted: undefined,
};
/** State of one station, with what it reads changed. */
const state = (station: StationId, change: object): StopState =>
  stopStates({ ...NOTHING, ...(change as Partial<HowFar>) })[station];
const head = (more: object = {}) => ({ structure: { sites: [{}] }, ...more });
const cell = { a: 5, b: 6, c: 7, alpha: 90, beta: 90, gamma: 90 };
const known = { ...NOTHING.project, cell, group: {}, experiment: { wavelength: 0.71, kept: {} } };

describe('the line of stations', () => {
  const needs = (patterns: boolean, reflections: boolean, structure: boolean) => ({ patterns, reflections, structure });

  it('shows what a project needs', () => {
    expect(stationsShown(needs(false, true, true))).not.toContain('fit');
    expect(stationsShown(needs(false, false, false))).toContain('intake');
    expect(stationsShown(needs(false, false, true))).toEqual([
      'relate',
      'build',
      'symmetry',
      'vet',
      'depict',
      'publish',
    ]);
    expect(stationsShown(needs(true, false, false))).toEqual(['intake', 'fit', 'symmetry', 'vet', 'publish']);
    expect(stationsShown(needs(true, true, true))).toEqual(STATIONS.map((s) => s.id).filter((id) => id !== 'build'));
  });

  it('opens a project where its work is', () => {
    expect(firstStation(needs(false, false, false))).toBe('intake');
    expect(firstStation(needs(false, true, false))).toBe('intake');
    expect(firstStation(needs(false, true, true))).toBe('refine');
    expect(firstStation(needs(false, false, true))).toBe('relate');
    expect(firstStation(needs(true, false, true))).toBe('fit');
  });

  it('is empty for an empty project', () => {
    expect(new Set(Object.values(stopStates(NOTHING)))).toEqual(new Set(['empty']));
  });
});

describe('how far a station is', () => {
  it.each<[string, StationId, object, StopState]>([
    ['data without a cell', 'intake', { hasData: true }, 'in flow'],
    ['data that are not merged', 'intake', { hasData: true, project: known }, 'in flow'],
    ['merged data', 'intake', { hasData: true, project: known, intake: { merge: {} } }, 'settled'],
    ['a cell alone', 'intake', { project: known }, 'settled'],
    ['a pattern on an unknown instrument', 'intake', { patterns: 1, powder: {} }, 'in flow'],
    ['a pattern on a known one', 'intake', { patterns: 1, powder: { instrumentKnown: true } }, 'settled'],
    ['solving', 'solve', { work: { title: 'Solving' }, head: head() }, 'in flow'],
    ['a model', 'solve', { head: head() }, 'settled'],
    ['a search that found nothing', 'solve', { solve: { candidates: [], message: 'Nothing.' } }, 'needs a look'],
    ['candidates', 'solve', { solve: { candidates: [{}], message: 'One.' } }, 'empty'],
    ['a model never refined', 'refine', { head: head() }, 'in flow'],
    ['one that still moves', 'refine', { head: head({ readings: { r1: 0.04, maxShiftOverSu: 0.8 } }) }, 'in flow'],
    ['one at rest', 'refine', { head: head({ readings: { r1: 0.04, maxShiftOverSu: 0.01 } }) }, 'settled'],
    [
      'one at rest with a high R1',
      'refine',
      { head: head({ readings: { r1: 0.2, maxShiftOverSu: 0 } }) },
      'needs a look',
    ],
    ['a powder fit', 'refine', { head: head({ fit: {} }) }, 'empty'],
    ['a pattern without a result', 'fit', { patterns: 2 }, 'in flow'],
    ['a good fit', 'fit', { patterns: 2, fit: { s: 1.2 } }, 'settled'],
    ['a poor fit', 'fit', { patterns: 2, fit: { s: 3 } }, 'needs a look'],
    ['a model without sites', 'symmetry', { head: { structure: { sites: [] } } }, 'empty'],
    ['a sound model', 'symmetry', { head: head(), vetted: { findings: [] } }, 'settled'],
    [
      'missed symmetry',
      'symmetry',
      { head: head(), vetted: { findings: [{ check: 'missed symmetry' }] } },
      'needs a look',
    ],
    ['a model not yet vetted', 'vet', { head: head() }, 'in flow'],
    ['something to mend', 'vet', { head: head(), vetted: { findings: [{ severity: 'mend' }] } }, 'needs a look'],
    [
      'something to explain',
      'vet',
      { head: head(), vetted: { findings: [{ severity: 'explain', key: 'k' }] } },
      'in flow',
    ],
    ['something worth knowing', 'vet', { head: head(), vetted: { findings: [{ severity: 'know' }] } }, 'settled'],
    ['a refined model', 'publish', { head: head({ readings: { r1: 0.04, maxShiftOverSu: 0 } }) }, 'in flow'],
    ['a fit with its result', 'publish', { head: head({ fit: { result: {} } }) }, 'in flow'],
    ['a model that was not refined', 'publish', { head: head() }, 'empty'],
  ])('%s: %s', (_, station, change, expected) => expect(state(station, change)).toBe(expected));

  it('is settled when what waited is explained', () => {
    const vetted = { findings: [{ severity: 'explain', key: 'k' }] };
    const project = { ...NOTHING.project, explanations: { k: { title: '', family: '', text: 'It is so.' } } };
    expect(state('vet', { head: head(), vetted, project })).toBe('settled');
  });
});
