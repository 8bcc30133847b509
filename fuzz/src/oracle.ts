/** What may reach a structure, a list or a pattern: numbers that are finite and in range. Written apart from the readers. */
import type { Recognised } from '@nagare/core/formats/recognise';
import { findElement } from '@nagare/core/crystal/elements';

type Complaint = string | undefined;

/** The first number anywhere in a value that is not finite, with its path. */
export function notFinite(value: unknown, path = ''): Complaint {
  if (typeof value === 'number') return Number.isFinite(value) ? undefined : `${path} is ${value}`;
  if (value === null || typeof value !== 'object') return undefined;
  if (ArrayBuffer.isView(value)) {
    const list = value as unknown as ArrayLike<number>;
    for (let i = 0; i < list.length; i++) if (!Number.isFinite(list[i])) return `${path}[${i}] is ${list[i]}`;
    return undefined;
  }
  for (const [key, inner] of Object.entries(value)) {
    const found = notFinite(inner, `${path}.${key}`);
    if (found) return found;
  }
  return undefined;
}

const outside = (what: string, x: number | undefined, low: number, high: number): Complaint =>
  x === undefined || (x >= low && x <= high) ? undefined : `${what} is ${x}`;

const first = (complaints: Iterable<Complaint>): Complaint => {
  for (const c of complaints) if (c) return c;
  return undefined;
};

function* ofStructure({ structure: s }: Recognised): Generator<Complaint> {
  if (!s) return;
  const { cell } = s;
  for (const k of ['a', 'b', 'c'] as const) yield outside(`cell.${k}`, cell[k], 0.5, 2000);
  for (const k of ['alpha', 'beta', 'gamma'] as const) yield outside(`cell.${k}`, cell[k], 5, 175);
  yield outside('operators', s.spaceGroup.representatives.length * s.spaceGroup.centring.length, 1, 192);
  for (const site of s.sites) {
    if (!findElement(site.element)) yield `${site.label} is of the element ${site.element}`;
    for (const x of site.position) yield outside(`position of ${site.label}`, x, -101, 101);
    for (const x of site.positionSu ?? []) yield outside(`s.u. of ${site.label}`, x, 0, Infinity);
    yield outside(`occupancy of ${site.label}`, site.occupancy, -0.5, 1.5);
    const { displacement: d } = site;
    for (const u of d.kind === 'iso' ? [d.u] : d.u) yield outside(`U of ${site.label}`, u, -1, 20);
  }
  for (const r of s.controls?.restraints ?? []) yield outside('s.u. of a restraint', r.su, 1e-12, 1000);
}

function* ofData({ raw, powder, experiment: e, treatment }: Recognised): Generator<Complaint> {
  yield outside('wavelength', e.wavelength, 0.1, 5);
  yield outside('temperature', e.temperature, 0, 5000);
  yield outside('Z', e.z, 1e-9, 1e5);
  for (const t of treatment?.twins ?? []) yield outside('twin fraction', t.fraction, -0.2, 1.2);
  if (raw) {
    if (!raw.count) yield 'a list without reflections';
    for (let i = 0; i < raw.count; i++) {
      yield outside('an index', Math.max(Math.abs(raw.h[i]!), Math.abs(raw.k[i]!), Math.abs(raw.l[i]!)), 1, 1000);
      yield raw.sigma[i]! > 0 ? undefined : `σ of reflection ${i + 1} is ${raw.sigma[i]}`;
    }
  }
  if (powder) {
    const { twoTheta, intensity, sigma } = powder.pattern;
    if (intensity.every((x) => x === 0)) yield 'a pattern of zeros';
    for (let i = 0; i < twoTheta.length; i++) {
      yield outside('2θ', twoTheta[i], 1e-9, 180);
      if (i && !(twoTheta[i]! > twoTheta[i - 1]!)) yield `2θ does not rise at point ${i + 1}`;
      yield sigma[i]! > 0 ? undefined : `σ of point ${i + 1} is ${sigma[i]}`;
    }
  }
}

/** What is wrong with what was taken, if anything. */
export const complaintAbout = (r: Recognised): Complaint => notFinite(r) ?? first(ofStructure(r)) ?? first(ofData(r));

/** Longest refusal that somebody reads. */
const LONGEST = 900;

/** Words of an engine rather than of people. */
const ENGINE =
  /undefined|\[object|is not a function|Cannot read|Maximum call stack|Invalid (array|typed|input)|not iterable|toFixed|NaN|out of memory|RegExp|null \(reading/;

/** What is wrong with a refusal: it should be one sentence for people. */
export function complaintAboutRefusal(message: string): Complaint {
  if (!message.trim()) return 'an empty refusal';
  if (message.length > LONGEST) return `a refusal of ${message.length} letters`;
  // What is quoted from the file is its own affair.
  if (ENGINE.test(message.replace(/".*"/gs, ''))) return `a refusal in the engine's words: ${message.slice(0, 200)}`;
  return undefined;
}
