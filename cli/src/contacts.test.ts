import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { runCommand } from './commands.ts';

const folder = mkdtempSync(join(tmpdir(), 'nagare-contacts-'));
const path = (name: string, text: string): string => {
  writeFileSync(join(folder, name), text);
  return join(folder, name);
};
/** An acid about a centre, with and without its hydrogen. */
const acid = (hydrogen: string): string => `data_acid
_cell_length_a 12
_cell_length_b 10
_cell_length_c 10
_cell_angle_alpha 90
_cell_angle_beta 90
_cell_angle_gamma 90
_space_group_name_H-M_alt 'P -1'
loop_
_atom_site_label
_atom_site_type_symbol
_atom_site_fract_x
_atom_site_fract_y
_atom_site_fract_z
C1 C -0.16083 0 0
O1 O -0.10917 0.107 0
O2 O -0.10667 -0.113 0
C2 C -0.28583 0 0
${hydrogen}
`;
const contacts = async (...args: string[]) => {
  const { code, out, problem } = await runCommand(['contacts', ...args, '--json'], () => undefined);
  return { code, problem, json: out ? (JSON.parse(out) as Record<string, unknown>) : undefined };
};

describe('contacts of the terminal', () => {
  it('the dimer of an acid with its lengths, its graph set and its symmetry', async () => {
    const { code, json } = await contacts(path('acid.cif', acid('H2 H -0.02583 -0.111 0')));
    expect(code).toBe(0);
    expect(json).toMatchObject({
      contacts: [{ donor: 'O2', hydrogen: 'H2', acceptor: 'O1', symmetry: '2_555', inside: false, likely: false }],
      motifs: [{ kind: 'ring', graphSet: 'R2,2(8)', direction: null }],
      dimensionality: 0,
      unusedDonors: [],
      unusedAcceptors: ['O2'],
    });
    const [first] = json!['contacts'] as { da: number; ha: number }[];
    expect(first!.ha).toBeCloseTo(Math.hypot(0.31 + 1.31, 1.11 - 1.07), 3);
  });

  it('without hydrogens the hydrogen is null, and the contact a likely one', async () => {
    const { json } = await contacts(path('bare.cif', acid('')));
    expect(json!['contacts']).toEqual([
      expect.objectContaining({ donor: 'O2', hydrogen: null, acceptor: 'O1', ha: null, likely: true }),
    ]);
  });

  it('a definition from a file says what differs; a wrong one is refused in a sentence', async () => {
    const model = path('acid.cif', acid('H2 H -0.02583 -0.111 0'));
    const strict = path('strict.json', JSON.stringify({ near: { by: 'length', from: 0, to: 1.5 } }));
    expect((await contacts(model, '--definition', strict)).json).toMatchObject({ contacts: [] });
    const wrong = path('wrong.json', JSON.stringify({ leastAngle: 'wide' }));
    const refused = await contacts(model, '--definition', wrong);
    expect(refused.code).toBe(2);
    expect(refused.problem).toMatch(/leastAngle/);
    expect((await contacts(model, '--definition', join(folder, 'none.json'))).problem).toMatch(/cannot be read/);
  });
});
