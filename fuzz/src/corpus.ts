/** Texts that are right, from which wrong ones are made: small, and of every kind that Nagare reads. */
import { readFileSync } from 'node:fs';
import { shippedShelf } from '@nagare/core/shelf/entry';
import { structureCif } from '@nagare/core/publish/structure-cif';
import { writeXyz } from '@nagare/core/formats/xyz';
import { instrumentText } from '@nagare/core/formats/pattern-file';
import { USUAL_INSTRUMENT } from '@nagare/core/crystal/pattern';

export interface Seed {
  readonly name: string;
  readonly text: string;
}

const DEMO = new URL('../../demo/data/', import.meta.url);
const demo = (name: string): string => readFileSync(new URL(name, DEMO), 'utf8');

/** Rows of numbers that are kept of a long table. */
const MOST_ROWS = 60;

/** The same file with its long tables cut short, so that a thousand of them are read in seconds. */
function cutTables(text: string): string {
  let run = 0;
  const lines = text.split('\n').filter((line) => {
    const isRow = /^\s*[-\d.]+(\s+[-\d.()eE?]+){3,}\s*$/.test(line);
    run = isRow ? run + 1 : 0;
    return run <= MOST_ROWS;
  });
  return lines.join('\n');
}

const fixedColumns = (): string =>
  Array.from({ length: 40 }, (_, i) =>
    [i % 7, (i % 5) - 2, 1 + (i % 6)]
      .map((x) => String(x).padStart(4))
      .concat([(100 + 7.31 * i).toFixed(2), (2 + (i % 3)).toFixed(2)].map((x) => x.padStart(8)))
      .join('')
      .concat('   1'),
  )
    .concat('   0   0   0    0.00    0.00   0')
    .join('\n');

const blankSeparated = (): string =>
  Array.from({ length: 40 }, (_, i) => `${i % 7} ${(i % 5) - 2} ${1 + (i % 6)} ${100 + 7 * i} ${2 + (i % 3)}`).join(
    '\n',
  );

const columns = (width: 2 | 3): string =>
  `# 2theta intensity\n${Array.from({ length: 60 }, (_, i) =>
    [(10 + 0.5 * i).toFixed(3), 100 + ((i * 37) % 90), 10 + (i % 3)].slice(0, width).join(' '),
  ).join('\n')}\n`;

const XYZ_ATOMS = [
  { element: 'O', at: [0, 0, 0.117] as const },
  { element: 'H', at: [0, 0.757, -0.469] as const },
  { element: 'H', at: [0, -0.757, -0.469] as const },
];

const CIFS = ['benigara-2', 'hachisu', 'kirara-3', 'enju-6', 'nibiiro', 'temari'];

/** Everything that the readers are tried with. */
export function seeds(): Seed[] {
  const reference = shippedShelf().find((e) => e.id === 'rutile')!;
  const embedded = `data_list\n_cell_length_a 7\n_cell_length_b 8\n_cell_length_c 9\n_cell_angle_alpha 90\n_cell_angle_beta 90\n_cell_angle_gamma 90\n_reflections_text\n;\n${fixedColumns()}\n;\n`;
  return [
    ...CIFS.map((name) => ({ name: `${name}.cif`, text: cutTables(demo(`${name}.cif`)) })),
    {
      name: 'rutile.cif',
      text: structureCif({
        name: 'rutile',
        structure: reference.structure,
        experiment: { kept: {} },
        date: '2026-11-27',
      }),
    },
    { name: 'embedded.cif', text: embedded },
    { name: 'fixed.hkl', text: fixedColumns() },
    { name: 'free.hkl', text: blankSeparated() },
    { name: 'two.xy', text: columns(2) },
    { name: 'three.xye', text: columns(3) },
    { name: 'range.txt', text: `counts of a sample\n10 0.5 29.5\n${'  120  131  125  410\n'.repeat(10)}` },
    { name: 'molecule.xyz', text: writeXyz(XYZ_ATOMS, 'water') },
    {
      name: 'periodic.xyz',
      text: writeXyz(XYZ_ATOMS, 'water', { a: 5, b: 6, c: 7, alpha: 90, beta: 100, gamma: 90 }),
    },
    { name: 'instrument.json', text: instrumentText(USUAL_INSTRUMENT) },
  ];
}
