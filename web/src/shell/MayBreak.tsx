/** A part of the page that failed: what happened is said in its place, and the rest of the page goes on. */
import type { ReactNode } from "react";
import { ErrorBoundary, type FallbackProps } from "react-error-boundary";

import { report } from "../api/reporting";
import { wordsOf } from "../ui/telling";

function Said({ what, error, resetErrorBoundary }: FallbackProps & { what: string }) {
  return (
    <div role="alert" className="m-4 max-w-md border-l-4 border-clay bg-card px-3 py-2">
      <p>
        <strong>{what} could not be shown.</strong> Your set is kept on the server up to your last step; the
        failure is in the server’s log.
      </p>
      <p className="my-1 text-[13.5px] text-quiet">{wordsOf(error)}</p>
      <p className="flex gap-4">
        <button type="button" className="word" onClick={resetErrorBoundary}>
          Show it again
        </button>
        <button type="button" className="word" onClick={() => location.reload()}>
          Load the page again
        </button>
      </p>
    </div>
  );
}

/** `again`: when one of these changes, it is tried anew. */
export function MayBreak({
  what,
  again = [],
  children,
}: {
  what: string;
  again?: unknown[];
  children: ReactNode;
}) {
  return (
    <ErrorBoundary
      resetKeys={again}
      onError={report}
      fallbackRender={(given) => <Said {...given} what={what} />}
    >
      {children}
    </ErrorBoundary>
  );
}
