/** The open project for components: they name the fields they read and are drawn again only when one of those changes. */
import { createContext, useCallback, useContext, useEffect, useMemo, useState, type ReactNode } from 'react';
import { useQuery } from '@tanstack/react-query';
import { useStore } from 'zustand';
import { useShallow } from 'zustand/react/shallow';
import type { Structure } from '@nagare/core/crystal/structure';
import type { Treatment } from '@nagare/core/crystal/treatment';
import { run } from '../engine/engine.ts';
import { db } from './db.ts';
import { headOf, type Head } from './marks.ts';
import { openProject } from './project-store.ts';
import type { ProjectState, ProjectStore } from './project-state.ts';

const Context = createContext<ProjectStore | undefined>(undefined);

/** The store itself, for acts that read the state when they happen. Throws Error outside a project. */
export function useProjectStore(): ProjectStore {
  const store = useContext(Context);
  if (!store) throw new Error('A station was drawn outside a project.');
  return store;
}

/** The project as it is while a station is on screen: stations are drawn only when it is there. */
export type OpenState = Omit<ProjectState, 'project'> & { readonly project: NonNullable<ProjectState['project']> };

/** The named fields of the state (and commands). */
export function useProject<K extends keyof OpenState>(...fields: readonly K[]): Pick<OpenState, K> {
  return useStore(
    useProjectStore(),
    useShallow((state) => {
      const open = state as OpenState;
      const out = {} as Pick<OpenState, K>;
      for (const field of fields) out[field] = open[field];
      return out;
    }),
  );
}

/** Makes an edit of the model on screen: what it changes is done to the newest model, should that be another by then. */
export type EditModel = (changed: Structure, title: string, treatment?: Treatment) => Promise<void>;

export function useEdit(): EditModel {
  const store = useProjectStore();
  const { head } = useProject('head');
  const from = head?.structure,
    treatmentFrom = head?.treatment;
  return useCallback(
    async (change, title, treatment) => {
      await store.getState().edit({
        title,
        change,
        ...(from ? { from } : {}),
        ...(treatment && treatmentFrom ? { treatment, treatmentFrom } : {}),
      });
    },
    [store, from, treatmentFrom],
  );
}

/** Opens a project and shows `children` when it is there, `missing` when it is not, `gone` when it was deleted meanwhile. */
export function ProjectProvider({
  id,
  children,
  missing,
  gone,
}: {
  id: string;
  children: ReactNode;
  missing: ReactNode;
  gone: ReactNode;
}): ReactNode {
  const [store, setStore] = useState<ProjectStore | undefined>();
  useEffect(() => {
    const opened = openProject(id, {
      db,
      evaluate: (input) => run('residual', input),
      memory: sessionStorage,
    });
    setStore(opened);
    return () => opened.getState().dispose();
  }, [id]);
  if (!store) return null;
  return (
    <Context.Provider value={store}>
      <WhenThere missing={missing} gone={gone}>
        {children}
      </WhenThere>
    </Context.Provider>
  );
}

function WhenThere({
  children,
  missing,
  gone,
}: {
  children: ReactNode;
  missing: ReactNode;
  gone: ReactNode;
}): ReactNode {
  const status = useStore(useProjectStore(), (s) => (s.status === 'ready' && !s.project ? 'missing' : s.status));
  if (status === 'loading') return null;
  if (status === 'gone') return gone;
  return status === 'missing' ? missing : children;
}

/** Another mark of the course with what it holds; undefined while it is read, or where there is none. */
export function useMark(markId: string | undefined): Head | undefined {
  const { marks, contentOf } = useProject('marks', 'contentOf');
  const mark = marks.find((m) => m.id === markId);
  const content = useQuery({
    queryKey: ['model', mark?.model],
    enabled: !!mark,
    staleTime: Infinity,
    gcTime: 60_000,
    // The very object the store keeps: what is known of a structure hangs on it.
    structuralSharing: false,
    queryFn: async () => (await contentOf(mark!.id)) ?? null,
  });
  return useMemo(() => (mark && content.data ? headOf(mark, content.data) : undefined), [mark, content.data]);
}
