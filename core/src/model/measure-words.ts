/** Measures asked for in plain words: "distance C1 O2", "torsion C1 C2 C3 C4", "angle between the planes of ring 1 and ring 3". */
import { originalRef, type AtomRef } from '../crystal/atom-ref.ts';
import type { Structure } from '../crystal/structure.ts';
import type { Thing } from '../geometry/things.ts';

export interface AskedMeasure {
  readonly things: readonly Thing[];
  readonly names: readonly string[];
}

/** Atoms of the rings as they are numbered from one. */
export type RingAtoms = readonly (readonly AtomRef[])[];

interface Named {
  readonly thing: Thing;
  readonly name: string;
}

/** How many atoms each kind of measure takes. */
const CHAINS: Readonly<Record<string, number>> = { distance: 2, length: 2, angle: 3, torsion: 4 };

/** Says whether words ask for rings, which take time to find. */
export const asksForRings = (text: string): boolean => /\bring\s*\d/i.test(text);

function thingNamed(s: Structure, text: string, rings: RingAtoms): Named | undefined {
  const words = text.trim();
  const ring = /^(?:the\s+)?(?:(plane|centroid|cent(?:re|er)|middle)\s+of\s+)?(?:the\s+)?ring\s*(\d+)$/i.exec(words);
  if (ring) {
    const n = Number(ring[2]);
    const atoms = rings[n - 1];
    if (!atoms) return undefined;
    const point = /^(centroid|cent|middle)/i.test(ring[1] ?? '');
    return point
      ? { thing: { kind: 'point', atoms }, name: `middle of ring ${n}` }
      : { thing: { kind: 'plane', atoms }, name: `ring ${n}` };
  }
  const row = /^\[\s*(-?\d+)[\s,]+(-?\d+)[\s,]+(-?\d+)\s*\]$/.exec(words);
  if (row) {
    const direction = [Number(row[1]), Number(row[2]), Number(row[3])] as const;
    return { thing: { kind: 'row', direction }, name: `row [${direction.join(' ')}]` };
  }
  const group = /^(?:the\s+)?(plane|line|bond|centroid|middle)\s+(?:of\s+|through\s+)?(.+)$/i.exec(words);
  const kind = group ? kindNamed(group[1]!) : undefined;
  const atoms = atomsNamed(s, group ? group[2]! : words);
  if (!atoms) return undefined;
  if (!kind && atoms.length > 1) return undefined;
  const labels = atoms.map((a) => s.sites.find((x) => x.id === a.site)!.label).join(' ');
  return { thing: { kind: kind ?? 'point', atoms }, name: group ? `${group[1]!.toLowerCase()} of ${labels}` : labels };
}

const kindNamed = (word: string): 'plane' | 'line' | 'point' =>
  /plane/i.test(word) ? 'plane' : /line|bond/i.test(word) ? 'line' : 'point';

/** Sites by label, separated by blanks, commas or dashes; undefined where one is not there. */
function atomsNamed(s: Structure, text: string): AtomRef[] | undefined {
  const out: AtomRef[] = [];
  for (const label of text.split(/[\s,–-]+/).filter(Boolean)) {
    const site = s.sites.find((x) => x.label.toLowerCase() === label.toLowerCase());
    if (!site) return undefined;
    out.push(originalRef(site.id));
  }
  return out.length ? out : undefined;
}

/** What words ask to be measured; undefined where they ask for nothing that can be understood. */
export function measureByWords(s: Structure, text: string, rings: RingAtoms = []): AskedMeasure | undefined {
  const words = text.trim().replace(/^measure\s+/i, '');
  const pair =
    /^(?:(?:the\s+)?(distance|angle|offset)\s+)?(?:between|from|of)\s+(?:the\s+)?(planes\s+of\s+)?(.+?)\s+(?:and|to)\s+(.+)$/i.exec(
      words,
    );
  if (pair) {
    const prefix = pair[2] ? 'plane of ' : '';
    const [a, b] = [pair[3]!, pair[4]!].map((t) =>
      thingNamed(s, prefix && !/^(the\s+)?ring/i.test(t) ? `${prefix}${t}` : t, rings),
    );
    if (a && b) return { things: [a.thing, b.thing], names: [a.name, b.name] };
  }
  const chain = /^(distance|length|angle|torsion)\s+(?:of\s+)?(.+)$/i.exec(words);
  if (chain) {
    const atoms = atomsNamed(s, chain[2]!);
    if (atoms?.length !== CHAINS[chain[1]!.toLowerCase()]) return undefined;
    return {
      things: atoms.map((a): Thing => ({ kind: 'point', atoms: [a] })),
      names: atoms.map((a) => s.sites.find((x) => x.id === a.site)!.label),
    };
  }
  const plane = /^plane\s+of\s+(.+)$/i.exec(words);
  const one = plane && thingNamed(s, /^ring/i.test(plane[1]!) ? plane[1]! : words, rings);
  return one && one.thing.kind === 'plane' ? { things: [one.thing], names: [one.name] } : undefined;
}
