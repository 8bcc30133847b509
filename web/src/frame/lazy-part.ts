/** Parts of the application that are fetched when they are first shown. */
import { lazy, type ComponentType, type LazyExoticComponent } from 'react';

/** A part could not be fetched: the server is gone and the browser has not kept it. */
export class PartNotFetched extends Error {
  constructor() {
    super(
      'this part of the application could not be fetched. Start the server with npm start, then load the page again',
    );
    this.name = 'PartNotFetched';
  }
}

const fetched = <T>(load: () => Promise<T>): Promise<T> =>
  load().catch((e: unknown) => {
    // A mistake inside of the part is not a matter of fetching.
    if (e instanceof TypeError) throw new PartNotFetched();
    throw e;
  });

/** `lazy`, with a sentence for a part that cannot be fetched. */
export const lazyPart = <P>(
  load: () => Promise<{ default: ComponentType<P> }>,
): LazyExoticComponent<ComponentType<P>> => lazy(() => fetched(load));
