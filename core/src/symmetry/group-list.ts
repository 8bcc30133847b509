/** Space-group types to choose from: by system, centring, class and words (International Tables A, 2.1). */
import { SETTINGS, referenceSetting } from '../crystal/settings.ts';

export const SYSTEMS = [
  'triclinic',
  'monoclinic',
  'orthorhombic',
  'tetragonal',
  'trigonal',
  'hexagonal',
  'cubic',
] as const;
export type SystemName = (typeof SYSTEMS)[number];

/** The last number of each system and of each class. */
const SYSTEM_ENDS = [2, 15, 74, 142, 167, 194, 230];
const CLASS_ENDS: readonly (readonly [number, string])[] = [
  [1, '1'],
  [2, '-1'],
  [5, '2'],
  [9, 'm'],
  [15, '2/m'],
  [24, '222'],
  [46, 'mm2'],
  [74, 'mmm'],
  [80, '4'],
  [82, '-4'],
  [88, '4/m'],
  [98, '422'],
  [110, '4mm'],
  [122, '-42m'],
  [142, '4/mmm'],
  [146, '3'],
  [148, '-3'],
  [155, '32'],
  [161, '3m'],
  [167, '-3m'],
  [173, '6'],
  [174, '-6'],
  [176, '6/m'],
  [182, '622'],
  [186, '6mm'],
  [190, '-6m2'],
  [194, '6/mmm'],
  [199, '23'],
  [206, 'm-3'],
  [214, '432'],
  [220, '-43m'],
  [230, 'm-3m'],
];
const CENTRIC = new Set(['-1', '2/m', 'mmm', '4/m', '4/mmm', '-3', '-3m', '6/m', '6/mmm', 'm-3', 'm-3m']);
const POLAR = new Set(['1', '2', 'm', 'mm2', '4', '4mm', '3', '3m', '6', '6mm']);
const PROPER = new Set(['1', '2', '222', '4', '422', '3', '32', '6', '622', '23', '432']);

/** One of the 230 types, in its reference setting. */
export interface GroupEntry {
  readonly number: number;
  readonly symbol: string;
  readonly system: SystemName;
  readonly pointGroup: string;
  /** P, A, C, F, I or R. */
  readonly centring: string;
  /** What it can be asked for by. */
  readonly words: readonly string[];
}

function entryOf(number: number): GroupEntry {
  const { symbol } = referenceSetting(number);
  const pointGroup = CLASS_ENDS.find(([end]) => number <= end)![1];
  const origins = SETTINGS.filter((s) => s.symbol === symbol && /^[12]$/.test(s.code)).length > 1;
  const words = [
    CENTRIC.has(pointGroup) ? 'centrosymmetric' : 'noncentrosymmetric',
    ...(POLAR.has(pointGroup) ? ['polar'] : []),
    // Handed molecules crystallise in these only.
    ...(PROPER.has(pointGroup) ? ['handed'] : []),
    ...(/[2346][1-5]/.test(symbol.replace(/-\d/g, '')) ? ['screw'] : []),
    ...(/[abcnde]/.test(symbol.slice(1)) ? ['glide'] : []),
    ...(origins ? ['origins'] : []),
  ];
  const system = SYSTEMS[SYSTEM_ENDS.findIndex((end) => number <= end)]!;
  return { number, symbol, system, pointGroup, centring: symbol[0]!, words };
}

/** All types by number. */
export const GROUP_LIST: readonly GroupEntry[] = Array.from({ length: 230 }, (_, i) => entryOf(i + 1));

export interface GroupFilter {
  readonly system?: SystemName | undefined;
  readonly centring?: string | undefined;
  readonly pointGroup?: string | undefined;
  /** Words, parts of symbols or numbers, all of which must fit. */
  readonly text?: string | undefined;
}

/** Types that fit everything that is asked. */
export function groupsLike({ system, centring, pointGroup, text }: GroupFilter): GroupEntry[] {
  const asked = (text ?? '')
    .toLowerCase()
    .split(/[\s,]+/)
    .filter(Boolean);
  const fits = (g: GroupEntry, word: string): boolean =>
    /^\d+$/.test(word) && String(g.number) === word
      ? true
      : g.words.some((w) => w.startsWith(word)) ||
        g.symbol.replace(/ /g, '').toLowerCase().includes(word.replace(/_/g, ''));
  return GROUP_LIST.filter(
    (g) =>
      (!system || g.system === system) &&
      (!centring || g.centring === centring) &&
      (!pointGroup || g.pointGroup === pointGroup) &&
      asked.every((word) => fits(g, word)),
  );
}

/** Classes of a system, or all 32. */
export const pointGroupsOf = (system?: SystemName): string[] => [
  ...new Set(GROUP_LIST.filter((g) => !system || g.system === system).map((g) => g.pointGroup)),
];
