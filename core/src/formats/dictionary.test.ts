import { describe, expect, it } from 'vitest';
import { experimentValue, formItems, missingItems, SUBJECTS, withItem } from './dictionary.ts';
import type { SampleRecord } from './cif-data.ts';

const empty: SampleRecord = { kept: {} };

describe('the form', () => {
  it('keeps every item where it is found again, and forgets it when it is emptied', () => {
    for (const subject of SUBJECTS)
      for (const d of formItems(subject)) {
        const value = d.type === 'number' || d.type === 'integer' ? '0.5' : (d.values?.[0] ?? 'something said');
        const filled = withItem(empty, d.tag, value);
        expect(experimentValue(filled, d.tag), d.tag).toBe(value);
        expect(experimentValue(withItem(filled, d.tag, ''), d.tag) || undefined, d.tag).toBeUndefined();
      }
  });
  it('leaves the others alone', () => {
    const e = withItem(
      withItem({ ...empty, temperature: 150, size: [0.3, 0.2, 0.1] }, '_exptl_crystal_colour', 'red'),
      '_diffrn_source',
      'sealed tube',
    );
    expect(e).toMatchObject({
      temperature: 150,
      size: [0.3, 0.2, 0.1],
      colour: 'red',
      kept: { _diffrn_source: 'sealed tube' },
    });
    expect(withItem(e, '_exptl_crystal_size_mid', '0,25').size).toEqual([0.3, 0.25, 0.1]);
    expect(withItem(e, '_diffrn_ambient_temperature', '').temperature).toBeUndefined();
  });
  it('takes up the older spelling of an item', () => {
    const e: SampleRecord = { kept: { _exptl_absorpt_correction_t_min: '0.6' } };
    expect(experimentValue(e, '_exptl_absorpt_correction_T_min')).toBe('0.6');
    expect(withItem(e, '_exptl_absorpt_correction_T_min', '0.7').kept).toEqual({
      _exptl_absorpt_correction_T_min: '0.7',
    });
    expect(missingItems(e).some((d) => d.tag === '_exptl_absorpt_correction_T_min')).toBe(false);
  });
});
