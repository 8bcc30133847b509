/** Sites chosen by plain words: "all carbon", "ring of S1", "group 2", "not hydrogen", "bonded to O1", "displacement above 0.08". */
import { ELEMENTS, isHydrogen, isMetal } from '../crystal/elements.ts';
import { equivalentU, type Structure } from '../crystal/structure.ts';
import { bonds, fragments } from '../geometry/bonds.ts';

export const ELEMENT_NAMES: Readonly<Record<string, string>> = {
  hydrogen: 'H',
  carbon: 'C',
  nitrogen: 'N',
  oxygen: 'O',
  fluorine: 'F',
  sulfur: 'S',
  sulphur: 'S',
  chlorine: 'Cl',
  bromine: 'Br',
  phosphorus: 'P',
  boron: 'B',
  iron: 'Fe',
  copper: 'Cu',
  zinc: 'Zn',
  silicon: 'Si',
  iodine: 'I',
  sodium: 'Na',
  lithium: 'Li',
  magnesium: 'Mg',
  aluminium: 'Al',
  potassium: 'K',
  calcium: 'Ca',
  titanium: 'Ti',
  chromium: 'Cr',
  manganese: 'Mn',
  cobalt: 'Co',
  nickel: 'Ni',
  gallium: 'Ga',
  germanium: 'Ge',
  arsenic: 'As',
  selenium: 'Se',
  zirconium: 'Zr',
  silver: 'Ag',
  tin: 'Sn',
  antimony: 'Sb',
  barium: 'Ba',
  gold: 'Au',
  lead: 'Pb',
};

export interface WordSelection {
  readonly sites: readonly number[];
  /** What was understood, for people. */
  readonly said: string;
}

const elementNamed = (word: string): string | undefined =>
  ELEMENT_NAMES[word.replace(/s$/, '')] ??
  ELEMENT_NAMES[word] ??
  ELEMENTS.find((e) => e.symbol.toLowerCase() === word)?.symbol;

function links(s: Structure): Map<number, number[]> {
  const out = new Map<number, number[]>();
  for (const b of bonds(s)) out.set(b.from, [...(out.get(b.from) ?? []), b.to]);
  return out;
}

/** The smallest ring through a site, or its rings joined when `all`; empty where it is in none. */
export function ringOf(s: Structure, site: number): number[] {
  const near = links(s);
  let best: number[] = [];
  for (const first of near.get(site) ?? []) {
    // Shortest way back to the site that does not use this bond.
    const from = new Map<number, number>([[first, site]]);
    const queue = [first];
    search: for (const at of queue)
      for (const n of near.get(at) ?? []) {
        if (at === first && n === site) continue;
        if (n === site) {
          const path = [site];
          for (let k = at; k !== site; k = from.get(k)!) path.push(k);
          if (!best.length || path.length < best.length) best = path;
          break search;
        }
        if (!from.has(n)) {
          from.set(n, at);
          queue.push(n);
        }
      }
  }
  return best;
}

/** Understands one phrase; undefined where it is none of these. Several phrases may be joined by "and" (both hold) or a comma (either). */
export function selectByWords(s: Structure, text: string): WordSelection | undefined {
  const q = text
    .trim()
    .toLowerCase()
    .replace(/^select\s+/, '');
  if (!q) return undefined;
  if (q.includes(',')) {
    const parts = q.split(',').map((p) => selectByWords(s, p));
    if (parts.some((p) => !p)) return undefined;
    return {
      sites: [...new Set(parts.flatMap((p) => p!.sites))].sort((a, b) => a - b),
      said: parts.map((p) => p!.said).join(', '),
    };
  }
  if (/\sand\s/.test(q)) {
    const parts = q.split(/\sand\s/).map((p) => selectByWords(s, p));
    if (parts.some((p) => !p)) return undefined;
    return {
      sites: parts[0]!.sites.filter((i) => parts.every((p) => p!.sites.includes(i))),
      said: parts.map((p) => p!.said).join(' and '),
    };
  }
  const all = s.sites.map((_, i) => i);
  const where = (said: string, test: (i: number) => boolean): WordSelection => ({ said, sites: all.filter(test) });
  const siteNamed = (label: string): number => s.sites.findIndex((x) => x.label.toLowerCase() === label);
  const not = /^(?:not|all but|without)\s+(.+)$/.exec(q);
  if (not) {
    const inner = selectByWords(s, not[1]!);
    return inner && { said: `not ${inner.said}`, sites: all.filter((i) => !inner.sites.includes(i)) };
  }
  const ring = /^ring of (\S+)$/.exec(q),
    bonded = /^(?:bonded to|neighbours of) (\S+)$/.exec(q),
    fragment = /^(?:fragment|molecule) of (\S+)$/.exec(q),
    hydrogensOf = /^hydrogens? of (\S+)$/.exec(q);
  for (const [m, kind] of [
    [ring, 'ring'],
    [bonded, 'bonded'],
    [fragment, 'fragment'],
    [hydrogensOf, 'hydrogens'],
  ] as const) {
    if (!m) continue;
    const at = siteNamed(m[1]!);
    if (at < 0) return undefined;
    const label = s.sites[at]!.label;
    if (kind === 'ring') {
      const r = ringOf(s, at);
      return { said: `the ring of ${label}`, sites: r.sort((a, b) => a - b) };
    }
    if (kind === 'fragment')
      return {
        said: `the molecule of ${label}`,
        sites: (fragments(s).find((f) => f.includes(at)) ?? [at]).sort((a, b) => a - b),
      };
    const near = new Set(links(s).get(at) ?? []);
    return kind === 'bonded'
      ? where(`what is bonded to ${label}`, (i) => near.has(i))
      : where(`hydrogens of ${label}`, (i) => near.has(i) && isHydrogen(s.sites[i]!.element));
  }
  const group = /^group (-?\w+)(?: of (\w+))?$/.exec(q),
    assembly = /^assembly (\w+)$/.exec(q);
  if (group)
    return where(`group ${group[1]}${group[2] ? ` of ${group[2].toUpperCase()}` : ''}`, (i) => {
      const d = s.sites[i]!.disorder;
      return !!d && d.group === group[1] && (!group[2] || d.assembly.toLowerCase() === group[2]);
    });
  if (assembly)
    return where(
      `assembly ${assembly[1]!.toUpperCase()}`,
      (i) => s.sites[i]!.disorder?.assembly.toLowerCase() === assembly[1],
    );
  const limit = /^(displacement|u|occupancy)\s+(above|below|over|under|>|<)\s*(\d*\.?\d+)$/.exec(q);
  if (limit) {
    const more = ['above', 'over', '>'].includes(limit[2]!),
      v = Number(limit[3]);
    const occupancy = limit[1] === 'occupancy';
    return where(`${occupancy ? 'occupancy' : 'displacement'} ${more ? 'above' : 'below'} ${v}`, (i) => {
      const x = s.sites[i]!,
        now = occupancy ? x.occupancy : equivalentU(s.cell, x.displacement);
      return more ? now > v : now < v;
    });
  }
  if (/^(disordered)( (atoms|sites))?$/.test(q)) return where('disordered sites', (i) => !!s.sites[i]!.disorder);
  if (/^(isotropic|anisotropic)( (atoms|sites))?$/.test(q))
    return where(`${q.split(' ')[0]} sites`, (i) => (s.sites[i]!.displacement.kind === 'iso') === q.startsWith('iso'));
  if (/^(all )?metals?$/.test(q)) return where('metals', (i) => isMetal(s.sites[i]!.element));
  if (/^(all|everything)( (atoms|sites))?$/.test(q)) return where('all sites', () => true);
  const element = elementNamed(q.replace(/^all\s+/, '').replace(/\s+(atoms|sites)$/, ''));
  if (element && s.sites.some((x) => x.element === element))
    return where(`all ${element}`, (i) => s.sites[i]!.element === element);
  const exact = siteNamed(q);
  return exact >= 0 ? { said: s.sites[exact]!.label, sites: [exact] } : undefined;
}
