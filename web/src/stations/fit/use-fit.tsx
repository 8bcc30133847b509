/** The fit for components: they name the fields they read and are drawn again only when one of those changes. */
import { createContext, useContext, useEffect, useState, type ReactNode } from 'react';
import { useStore } from 'zustand';
import { useShallow } from 'zustand/react/shallow';
import { useProjectStore } from '../../store/use-project.tsx';
import { openFit, type Fit, type FitStore } from './fit-store.ts';

export type { Fit } from './fit-store.ts';

const Context = createContext<FitStore | undefined>(undefined);

/** The store itself, for acts that read the state when they happen. Throws Error outside a project. */
export function useFitStore(): FitStore {
  const store = useContext(Context);
  if (!store) throw new Error('A fit was asked for outside a project.');
  return store;
}

/** The named fields of the fit (and its commands). */
export function useFit<K extends keyof Fit>(...fields: readonly K[]): Pick<Fit, K> {
  return useStore(
    useFitStore(),
    useShallow((fit) => {
      const out = {} as Pick<Fit, K>;
      for (const field of fields) out[field] = fit[field];
      return out;
    }),
  );
}

export function FitProvider({ children }: { children: ReactNode }): ReactNode {
  const project = useProjectStore();
  const [store, setStore] = useState<FitStore | undefined>();
  useEffect(() => {
    const fit = openFit(project);
    setStore(fit.store);
    return () => fit.close();
  }, [project]);
  return store ? <Context.Provider value={store}>{children}</Context.Provider> : null;
}
