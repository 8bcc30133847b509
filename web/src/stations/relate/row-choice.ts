/** Which rows of everything known a person shows, and in what order: kept by the browser. */
import { useState } from 'react';
import type { RowChoice } from '@nagare/core/publish/known';
import { z } from 'zod';
import { remember, remembered } from '../../store/remembered.ts';

const NAME = 'rows of everything known';
const schema = z.strictObject({ hidden: z.array(z.string()), order: z.array(z.string()) });
const ALL: RowChoice = { hidden: [], order: [] };

export function useRowChoice(): readonly [RowChoice, (choice: RowChoice) => void] {
  const [choice, setChoice] = useState<RowChoice>(() => remembered<RowChoice>(NAME, schema, ALL));
  const keep = (next: RowChoice): void => {
    remember(NAME, next);
    setChoice(next);
  };
  return [choice, keep];
}
