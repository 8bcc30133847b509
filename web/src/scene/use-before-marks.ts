/** Marks before the present one whose section may stand beside its own, and which of them does. */
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { Mark } from '../store/marks.ts';
import { useProject } from '../store/use-project.tsx';

/** The marks that led to one, the nearest first. */
export function ancestors(marks: readonly Mark[], id: string): Mark[] {
  const byId = new Map(marks.map((m) => [m.id, m]));
  const out: Mark[] = [];
  for (let at = byId.get(id)?.parent; at && byId.has(at) && !out.some((m) => m.id === at); at = byId.get(at)!.parent)
    out.push(byId.get(at)!);
  return out;
}

/** Marks that are offered at most. */
const MOST = 12;

interface BeforeMarks {
  readonly marks: readonly Mark[];
  readonly beside: string | undefined;
  setBeside(id: string): void;
}

/** Aspherical atoms stand beside the last model with spherical ones until the person says otherwise; other models alone. */
export function useBeforeMarks(): BeforeMarks {
  const { head, marks, contentOf } = useProject('head', 'marks', 'contentOf');
  const [chosen, setChosen] = useState<string | undefined>();
  const led = ancestors(marks, head!.id).filter((m) => m.type === 'crystal');
  const isAspherical = !!head!.treatment.aspherical;
  const { data: spherical } = useQuery({
    queryKey: ['last spherical mark', head!.id],
    enabled: isAspherical,
    staleTime: Infinity,
    queryFn: async () => {
      for (const m of led) {
        const content = await contentOf(m.id);
        if (content?.kind === 'structure' && !content.treatment?.aspherical) return m.id;
      }
      return null;
    },
  });
  const beside = chosen ?? spherical ?? '';
  const offered = led.slice(0, MOST);
  const own = led.find((m) => m.id === beside);
  return {
    marks: own && !offered.includes(own) ? [...offered, own] : offered,
    beside: own?.id,
    setBeside: setChosen,
  };
}
