import type { Check } from '../check.ts';
import { checkItem } from '../../formats/dictionary.ts';

export const fileTypes: Check = {
  id: 'items of the file',
  family: 'file',
  name: 'Items of the wrong kind',
  looks: 'Every item the dictionary knows: number or text, its range, its enumeration.',
  needs: ['file'],
  run: (c) => {
    const bad = Object.entries(c.input.items ?? {}).flatMap(([tag, text]) => {
      const says = checkItem(tag, text);
      return says ? [{ tag, says }] : [];
    });
    return bad.slice(0, 10).map(({ tag, says }) => ({
      key: tag,
      severity: 'mend' as const,
      title: `${tag}: ${says}`,
      detail: 'A reader of the file will refuse or misread it.',
      remedies: [{ act: 'go' as const, station: 'publish' as const, sheet: 'Form', words: 'Correct it in the form' }],
    }));
  },
};
