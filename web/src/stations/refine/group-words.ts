/** What a disorder group is called where people read. */
import { isSymmetryGroup } from '@nagare/core/crystal/controls';

export const groupWords = (group: string): string => (isSymmetryGroup(group) ? 'with its own copies' : group);
