/** Powder patterns and the instruments they were measured with, as plain data. */

/** A measured pattern on a rising 2θ scale (degrees) with its s.u. in the same units as the intensities. */
export interface Pattern {
  readonly name: string;
  readonly twoTheta: Float64Array;
  readonly intensity: Float64Array;
  readonly sigma: Float64Array;
  /** Whether the s.u. stood in the file or were taken from counting. */
  readonly sigmaFrom: 'file' | 'counts';
  /** Temperature (K) or another quantity the pattern was measured at, for series. */
  readonly at?: number;
}

/** One line of the spectrum; weights are relative to the first. */
export interface SpectralLine {
  readonly wavelength: number;
  readonly weight: number;
}

/** Widths of the instrument: Γ_G² = U tan²θ + V tanθ + W and Γ_L = X tanθ + Y/cosθ, full widths at half maximum in degrees of 2θ. */
export interface InstrumentProfile {
  readonly u: number;
  readonly v: number;
  readonly w: number;
  readonly x: number;
  readonly y: number;
  /** Half heights of sample and detector over the goniometer radius (axial divergence). */
  readonly sampleHeight: number;
  readonly detectorHeight: number;
}

export interface Instrument {
  readonly name: string;
  readonly lines: readonly SpectralLine[];
  readonly geometry: 'flat specimen' | 'capillary';
  /** 2θ of the monochromator in degrees: 0 for none, 90 for a beam that is plane-polarised across the plane of diffraction. */
  readonly monochromator: number;
  /** Goniometer radius, mm. */
  readonly radius: number;
  readonly profile: InstrumentProfile;
  /** Zero of the 2θ scale found with a standard, degrees. */
  readonly zero: number;
  /** When and with what it was calibrated. */
  readonly calibrated?: string;
}

const KA_LINES: Readonly<Record<string, readonly [number, number]>> = {
  Cr: [2.28973, 2.29365],
  Fe: [1.93604, 1.93998],
  Co: [1.78901, 1.7929],
  Cu: [1.54059, 1.54443],
  Mo: [0.70932, 0.71361],
  Ag: [0.55942, 0.5638],
};
export const ANODES = Object.keys(KA_LINES);

/** The Kα doublet of an anode, or its first line alone. Wavelengths after Hölzer et al. (1997), Phys. Rev. A 56, 4554, and International Tables C 4.2. */
export function anodeLines(anode: string, firstOnly = false): SpectralLine[] {
  const lines = KA_LINES[anode];
  if (!lines) throw new RangeError(`There are no lines for an anode of "${anode}".`);
  return firstOnly
    ? [{ wavelength: lines[0], weight: 1 }]
    : [
        { wavelength: lines[0], weight: 1 },
        { wavelength: lines[1], weight: 0.5 },
      ];
}

/** Å by which a wavelength that a file states may differ from a line of an anode, or from the mean of its doublet. */
const SAME_LINE = 5e-4;

/** The lines that a stated wavelength (Å) means: the doublet of an anode whose Kα1 or mean Kα it is, or itself alone. */
export function linesOfWavelength(wavelength: number): SpectralLine[] {
  const anode = ANODES.find((name) => {
    const [first, second] = KA_LINES[name]!;
    return [first, (2 * first + second) / 3].some((line) => Math.abs(line - wavelength) < SAME_LINE);
  });
  return anode ? anodeLines(anode) : [{ wavelength, weight: 1 }];
}

/** What is assumed until an instrument is described: a laboratory diffractometer with a copper tube. */
export const USUAL_INSTRUMENT: Instrument = {
  name: 'Laboratory diffractometer',
  lines: anodeLines('Cu'),
  geometry: 'flat specimen',
  monochromator: 0,
  radius: 217.5,
  zero: 0,
  profile: { u: 0.004, v: -0.003, w: 0.0035, x: 0.01, y: 0.015, sampleHeight: 0, detectorHeight: 0 },
};

/** The instrument of one wavelength only. */
export const singleLine = (instrument: Instrument, wavelength: number): Instrument => ({
  ...instrument,
  lines: [{ wavelength, weight: 1 }],
});

/** 2θ in degrees of a spacing, or NaN where the wavelength cannot reach it. */
export const twoThetaOf = (d: number, wavelength: number): number => (360 / Math.PI) * Math.asin(wavelength / (2 * d));
/** Spacing in Å at a 2θ in degrees. */
export const spacingAt = (twoTheta: number, wavelength: number): number =>
  wavelength / (2 * Math.sin((twoTheta * Math.PI) / 360));
