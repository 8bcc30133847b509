/** Empty space of the mark that is shown, as it is asked for; each part is worked out once. */
import type { UseQueryResult } from '@tanstack/react-query';
import type { Structure } from '@nagare/core/crystal/structure';
import type { VoidNetwork } from '@nagare/core/space/network';
import type { VoidCurve } from '@nagare/core/space/voids';
import type { Cut, Radii, VoidsAnswer } from '@nagare/core/tasks/voids-task';
import { run } from '../../engine/engine.ts';
import { useAnswer } from '../../engine/use-answer.ts';

export interface VoidWish {
  /** Å */
  readonly probe: number;
  readonly byMiddle: boolean;
  /** Ids of sites that are thought away. */
  readonly without: readonly string[];
  /** Å by element, where they are not the usual ones. */
  readonly radii: Radii;
  readonly cut: Cut | undefined;
  readonly network: boolean;
}

interface FoundVoids {
  readonly map: UseQueryResult<VoidsAnswer>;
  readonly curve: UseQueryResult<VoidCurve>;
  /** With nothing thought away. */
  readonly filledMap: UseQueryResult<VoidsAnswer>;
  readonly filledCurve: UseQueryResult<VoidCurve>;
  readonly network: UseQueryResult<VoidNetwork>;
}

/** `mark` names the structure among those that were asked about. */
export function useVoids(s: Structure, mark: string | undefined, wish: VoidWish | undefined): FoundVoids {
  const asked = wish !== undefined;
  const isEmptied = asked && wish.without.length > 0;
  const common = { without: [...(wish?.without ?? [])], radii: wish?.radii ?? {} };
  const { radii } = common;
  const probe = wish?.probe ?? 0;
  const drawn = { ...common, probe, byMiddle: !!wish?.byMiddle, ...(wish?.cut ? { cut: wish.cut } : {}) };
  return {
    map: useAnswer(['voids', mark, drawn], asked, () => run('voids', { structure: s, ...drawn })),
    curve: useAnswer(['void curve', mark, common], asked, () => run('void curve', { structure: s, ...common })),
    filledMap: useAnswer(['filled voids', mark, radii, probe], isEmptied, () =>
      run('voids', { structure: s, radii, probe }),
    ),
    filledCurve: useAnswer(['filled curve', mark, radii], isEmptied, () => run('void curve', { structure: s, radii })),
    network: useAnswer(['void network', mark, common, probe], !!wish?.network, () =>
      run('void network', { structure: s, ...common, probe }),
    ),
  };
}
