import { prettySymbol } from '../../crystal/settings.ts';
import type { Check } from '../check.ts';
import { identifyGroup } from '../../crystal/identify.ts';

export const settingCheck: Check = {
  id: 'setting',
  family: 'symmetry',
  name: 'Setting',
  looks: 'Whether the symbol is the standard one of International Tables.',
  run: (c) => {
    const { setting } = identifyGroup(c.s.spaceGroup);
    return setting.hall === c.s.spaceGroup.hall
      ? []
      : [
          {
            severity: 'know',
            title: `${prettySymbol(c.s.spaceGroup.symbol)} is not the standard setting (${prettySymbol(setting.symbol)})`,
            detail:
              'Other settings are right when they have shorter axes or an angle nearer to 90°, as P 2₁/n often has.',
            remedies: [{ act: 'go', station: 'symmetry', words: 'See the settings' }],
          },
        ];
  },
};
