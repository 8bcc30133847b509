import { describe, expect, it } from 'vitest';
import { absorptionItems, recordOfCorrection, whyNotByFaces } from './absorption-words.ts';

const FACES = { mu: 2, faces: [{ hkl: [1, 0, 0] as const, distance: 0.1 }] };

describe('what is said of a correction for absorption', () => {
  it('is nothing where none was made', () => {
    expect(absorptionItems({ harmonics: 0 }, { used: 0 }, 2)).toEqual([]);
  });

  it('tells the spread of a correction by direction below the shortest way', () => {
    const said = Object.fromEntries(
      absorptionItems({ harmonics: 4 }, { used: 900, directionRange: [0.8, 1.6] }, 2, 0.1),
    );
    expect(said['_exptl_absorpt_correction_type']).toBe('multi-scan');
    expect(said['_exptl_absorpt_correction_T_max']).toBe(Math.exp(-0.2).toFixed(4));
    expect(said['_exptl_absorpt_correction_T_min']).toBe((Math.exp(-0.2) / 2).toFixed(4));
  });

  it('tells the transmission by the faces as it was worked out, and what came after it', () => {
    const wish = { harmonics: 2, faces: FACES };
    const said = Object.fromEntries(
      absorptionItems(wish, { used: 900, directionRange: [0.9, 1.1], transmission: [0.31, 0.77] }, 2),
    );
    expect(said['_exptl_absorpt_correction_type']).toBe('analytical');
    expect(said['_exptl_absorpt_correction_T_min']).toBe('0.3100');
    expect(said['_exptl_absorpt_correction_T_max']).toBe('0.7700');
    expect(said['_exptl_absorpt_process_details']).toMatch(/^By the 1 faces.*, then spherical harmonics to order 2/);
  });

  it('goes again with the correction, and leaves what the file said', () => {
    const file = { kept: { _exptl_absorpt_correction_type: 'none', _diffrn_source: 'sealed tube' } };
    const figures = { used: 900, transmission: [0.31, 0.77] as const };
    const corrected = recordOfCorrection(file, undefined, absorptionItems({ harmonics: 0, faces: FACES }, figures, 2));
    expect(corrected.kept['_exptl_absorpt_correction_type']).toBe('analytical');
    expect(recordOfCorrection(corrected, figures, []).kept).toEqual({ _diffrn_source: 'sealed tube' });
    // Batches alone were scaled: nothing was said of absorption, nothing is unsaid.
    expect(recordOfCorrection(file, {}, [])).toEqual(file);
  });

  it('names what is missing for the faces, the first thing first', () => {
    expect(whyNotByFaces(false, 0, false)).toContain('angles');
    expect(whyNotByFaces(true, 0, false)).toContain('faces of the crystal');
    expect(whyNotByFaces(true, 0, true)).toContain('formula, Z and the wavelength');
    expect(whyNotByFaces(true, 1, true)).toBe('');
  });
});
