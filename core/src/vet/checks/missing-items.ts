import type { Check } from '../check.ts';
import { missingItems } from '../../formats/dictionary.ts';

export const missingItemsCheck: Check = {
  id: 'missing items',
  family: 'file',
  name: 'Items a journal asks for',
  looks: 'What only the person can know: name, method, device, colour, shape, size, temperature, corrections.',
  run: (c) => {
    const missing = missingItems(c.input.experiment);
    return missing.length
      ? [
          {
            severity: missing.length > 12 ? 'know' : 'know',
            value: missing.length,
            title: `${missing.length} items a journal asks for are not filled in`,
            detail: `${missing
              .slice(0, 6)
              .map((m) => m.title)
              .join(', ')}${missing.length > 6 ? ` and ${missing.length - 6} more` : ''}.`,
            remedies: [{ act: 'go', station: 'publish', sheet: 'Form', words: 'Fill in the form' }],
          },
        ]
      : [];
  },
};
