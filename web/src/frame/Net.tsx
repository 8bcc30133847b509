/**
 * Catches what fails while a part of the page is drawn, so that the rest goes on and the project stays as it is. Every
 * pane, desk and station hangs over one.
 */
import './net.scss';
import type { ReactNode } from 'react';
import { ErrorBoundary, type FallbackProps } from 'react-error-boundary';
import { Link } from 'react-router';
import { useProject, useProjectStore } from '../store/use-project.tsx';
import { PartNotFetched } from './lazy-part.ts';
import { takeHome } from './take-home.ts';

const reasonOf = (error: unknown): string => (error instanceof Error ? error.message : String(error));

/** A part of an open project. `part` begins the sentence that says what stopped; a new step of the course tries again. */
export function Net({ part, children }: { part: string; children: ReactNode }): ReactNode {
  const { head } = useProject('head');
  return (
    <ErrorBoundary
      key={part}
      resetKeys={[head]}
      fallbackRender={(failure) => <PartStopped part={part} failure={failure} />}
    >
      {children}
    </ErrorBoundary>
  );
}

function PartStopped({ part, failure }: { part: string; failure: FallbackProps }): ReactNode {
  const { undo } = useProject('undo');
  const store = useProjectStore();
  return (
    <Stopped part={part} failure={failure}>
      <button className="word" onClick={() => void undo().then(failure.resetErrorBoundary)}>
        Undo the last step
      </button>
      <button className="word" onClick={() => void takeHome(store)}>
        Export this project
      </button>
    </Stopped>
  );
}

/** Around everything, for what no nearer net caught. */
export function OuterNet({ children }: { children: ReactNode }): ReactNode {
  return (
    <ErrorBoundary
      fallbackRender={(failure) => (
        <Stopped part="The page" failure={failure}>
          <Link className="word" to="/" onClick={failure.resetErrorBoundary}>
            All projects
          </Link>
        </Stopped>
      )}
    >
      {children}
    </ErrorBoundary>
  );
}

function Stopped(props: { part: string; failure: FallbackProps; children: ReactNode }): ReactNode {
  const { part, failure, children } = props;
  if (failure.error instanceof PartNotFetched)
    return (
      <div className="empty stopped" role="alert">
        <h3>{part} is not here</h3>
        <p>The project is as it was, and everything else goes on: {failure.error.message}.</p>
        <p className="choices">
          <button className="word" onClick={() => location.reload()}>
            Load the page again
          </button>
          {children}
        </p>
      </div>
    );
  return (
    <div className="empty stopped" role="alert">
      <h3>{part} could not be drawn</h3>
      <p>
        The project is as it was, and everything else goes on. What happened: <q>{reasonOf(failure.error)}</q>
      </p>
      <p className="choices">
        <button className="word" onClick={failure.resetErrorBoundary}>
          Try again
        </button>
        {children}
      </p>
    </div>
  );
}
