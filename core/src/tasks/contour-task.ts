/** Surfaces of a map as a job. */
import { z } from 'zod';
import { contourInputSchema, surfaceSchema } from './model-schemas.ts';
import type { Region, Surface } from '../maps/isosurface.ts';
import { mapSurfaces } from '../maps/map-surfaces.ts';
import type { Cell } from '../crystal/cell.ts';
import { task } from './task.ts';
import type { Grid } from '../math/fft.ts';

export interface ContourInput {
  grid: Grid;
  values: Float32Array;
  cell: Cell;
  region: Region;
  level: number;
  /** Cartesian points the surfaces are kept around, and how far, Å. */
  around: Float32Array;
  reach: number;
}

export const contourTask = task<ContourInput, { excess: Surface; deficit: Surface }, never>({
  input: contourInputSchema,
  output: z.strictObject({ excess: surfaceSchema, deficit: surfaceSchema }),
  run: async ({ grid, values, cell, region, level, around, reach }) => {
    const { excess, deficit } = mapSurfaces({ grid, values }, cell, region, level, around, reach);
    return { excess, deficit };
  },
});
