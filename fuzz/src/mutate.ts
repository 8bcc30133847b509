/** Wrong texts from right ones: what slips of the pen, broken transfers and ill will make of them. */
import type { Random } from '@nagare/core/math/random';

const pick = <T>(random: Random, list: readonly T[]): T => list[random.below(list.length)]!;
const whole = (random: Random, below: number): number => random.below(below);

/** What stands where a number should. */
const NONSENSE = [
  ...['1e999', '-1e999', 'NaN', 'Infinity', '0x1F', '1e-999', '-0', '.', '?', '', '1/0', '65541', '-32769', '1,5'],
  ...['1(99999)', `1.${'9'.repeat(300)}`, '9'.repeat(80), '1.2.3', '--1', '1e', '(3)', '5(', "'1'", '1 2', 'abc', '𝟝'],
  ...['__proto__', 'constructor', 'x+1/0', 'x+0.123456,y,z', 'Xx', 'U', '-4', '360', '1180', '0', '1e15', '-5'],
];

/** Characters that end, open or split things. */
const MARKS = [
  "'",
  '"',
  ';',
  '\n;',
  '#',
  '_',
  '\u0000',
  '\ufeff',
  '\r',
  '\r\n',
  '\t',
  ',',
  '\\',
  '$',
  '[',
  '{',
  '\u2028',
  'é',
];

type Mutation = (text: string, random: Random, other: string) => string;

const slice = (text: string, random: Random, most: number): [number, number] => {
  const from = whole(random, text.length + 1);
  return [from, Math.min(text.length, from + 1 + whole(random, most))];
};

const replaceNumber: Mutation = (text, random) => {
  const found = [...text.matchAll(/[-+]?\d+(?:\.\d*)?(?:\(\d+\))?/g)];
  if (!found.length) return text;
  const m = pick(random, found);
  return text.slice(0, m.index) + pick(random, NONSENSE) + text.slice(m.index + m[0].length);
};

const replaceWord: Mutation = (text, random) => {
  const found = [...text.matchAll(/\S+/g)];
  if (!found.length) return text;
  const m = pick(random, found);
  return text.slice(0, m.index) + pick(random, NONSENSE) + text.slice(m.index + m[0].length);
};

const insertMark: Mutation = (text, random) => {
  const at = whole(random, text.length + 1);
  return text.slice(0, at) + pick(random, MARKS).repeat(random.next() < 0.05 ? 3000 : 1) + text.slice(at);
};

const drop: Mutation = (text, random) => {
  const [from, to] = slice(text, random, 60);
  return text.slice(0, from) + text.slice(to);
};

const double: Mutation = (text, random) => {
  const [from, to] = slice(text, random, 200);
  return text.slice(0, to) + text.slice(from, to) + text.slice(to);
};

const cut: Mutation = (text, random) => text.slice(0, whole(random, text.length + 1));

const onLines =
  (change: (lines: string[], random: Random) => void): Mutation =>
  (text, random) => {
    const lines = text.split('\n');
    change(lines, random);
    return lines.join('\n');
  };
const dropLine = onLines((lines, random) => void lines.splice(whole(random, lines.length), 1));
const swapLines = onLines((lines, random) => {
  const [i, j] = [whole(random, lines.length), whole(random, lines.length)];
  [lines[i], lines[j]] = [lines[j]!, lines[i]!];
});
const repeatLine = onLines((lines, random) => {
  const i = whole(random, lines.length);
  const times = random.next() < 0.05 ? Math.ceil(1e6 / (1 + lines[i]!.length)) : 1 + whole(random, 4);
  lines[i] = Array.from({ length: times + 1 }, () => lines[i]!).join('\n');
});

const otherEnds: Mutation = (text, random) => text.replace(/\n/g, pick(random, ['\r', '\r\n', '\n\r']));
const decimalCommas: Mutation = (text) => text.replace(/(\d)\.(\d)/g, '$1,$2');
const splice: Mutation = (text, random, other) => {
  const [from, to] = slice(other, random, 800);
  const at = whole(random, text.length + 1);
  return text.slice(0, at) + other.slice(from, to) + text.slice(at);
};
const longNumber: Mutation = (text, random) => {
  const at = whole(random, text.length + 1);
  return text.slice(0, at) + pick(random, ['1', ' ', '#', 'x', '((', '-']).repeat(20_000) + text.slice(at);
};

const COMMON: readonly Mutation[] = [replaceNumber, replaceNumber, replaceWord, insertMark, drop, double, dropLine];
const SELDOM: readonly Mutation[] = [cut, swapLines, repeatLine, otherEnds, decimalCommas, splice, longNumber];

/** Letters beyond which a text is not made longer. */
const LONGEST = 300_000;

/** A wrong text made of a right one by one to six slips; `other` is a text that pieces may come from. */
export function mutated(text: string, other: string, random: Random): string {
  let out = text;
  const slips = 1 + whole(random, random.next() < 0.3 ? 6 : 2);
  for (let i = 0; i < slips && out.length < LONGEST; i++)
    out = pick(random, random.next() < 0.75 ? COMMON : SELDOM)(out, random, other);
  return out;
}

/** What stands in the place of a value of JSON. */
const JSON_NONSENSE: readonly unknown[] = [
  ...[null, 0, -1, 1e308, -0.5, 65541, true, '', 'x', '__proto__', [], {}, [[]], { a: 1 }, 'Xx'],
  ...[{ $number: 'NaN' }, { $number: 'Infinity' }, { $array: 'Float64Array', data: 'AAAA' }],
  ...[
    { $array: 'constructor', data: 'AAAA' },
    { $array: 'Int16Array', data: '!' },
  ],
];

/** A copy of a value of JSON with one of its parts changed, left out or doubled. */
export function mutatedJson(value: unknown, random: Random): unknown {
  if (value === null || typeof value !== 'object' || random.next() < 0.06) return pick(random, JSON_NONSENSE);
  if (Array.isArray(value)) {
    if (!value.length) return [pick(random, JSON_NONSENSE)];
    const i = whole(random, value.length);
    const out = [...(value as unknown[])];
    const act = random.next();
    if (act < 0.15) out.splice(i, 1);
    else if (act < 0.3) out.splice(i, 0, out[i]);
    else out[i] = mutatedJson(out[i], random);
    return out;
  }
  const entries = Object.entries(value);
  if (!entries.length) return { odd: pick(random, JSON_NONSENSE) };
  const i = whole(random, entries.length);
  const act = random.next();
  if (act < 0.1) entries.splice(i, 1);
  else if (act < 0.15) entries.push(['odd', pick(random, JSON_NONSENSE)]);
  else entries[i] = [entries[i]![0], mutatedJson(entries[i]![1], random)];
  return Object.fromEntries(entries);
}
