/** Everything that threads share out between them, and who does it. */
import type { Workshop } from '../quantum/crew.ts';
import { CorrelationWorkshop, type CorrelationPlan } from '../quantum/exchange-correlation.ts';
import { RepulsionWorkshop, type RepulsionPlan } from '../quantum/fitted-repulsion.ts';
import { GridWorkshop, type GridPlan } from '../quantum/molecular-grid.ts';
import { SharesWorkshop, type SharesPlan } from '../quantum/stockholder.ts';
import { FactorsWorkshop, type FactorsPlan } from './site-factors.ts';

export type PartsPlan = GridPlan | RepulsionPlan | CorrelationPlan | SharesPlan | FactorsPlan;

/** The workshop of a plan that came from another thread. */
export function workshopOf(plan: PartsPlan): Workshop {
  switch (plan.kind) {
    case 'repulsion':
      return new RepulsionWorkshop(plan);
    case 'correlation':
      return new CorrelationWorkshop(plan);
    case 'grid':
      return new GridWorkshop(plan);
    case 'shares':
      return new SharesWorkshop(plan);
    case 'factors':
      return new FactorsWorkshop(plan);
  }
}
