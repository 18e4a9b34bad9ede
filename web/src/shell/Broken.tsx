/** What stands in place of a part of the page that could not be drawn. The rest of the page works on. */
import type { ReactNode } from "react";
import { ErrorBoundary, type FallbackProps } from "react-error-boundary";
import { Button } from "../ui/controls";

interface Props {
  /** What is guarded, as people call it. */
  what: string;
  /** Other things that are drawn begin anew. */
  of?: string;
  children: ReactNode;
}

export function Guarded({ what, of, children }: Props) {
  return (
    <ErrorBoundary resetKeys={[of]} fallbackRender={(props) => <Broken {...props} what={what} />}>
      {children}
    </ErrorBoundary>
  );
}

function Broken({ what, error, resetErrorBoundary }: FallbackProps & { what: string }) {
  return (
    <div role="alert" data-broken={what} className="flex min-w-0 flex-1 flex-col items-center justify-center gap-3 p-6 text-dim">
      <p className="text-value text-bright">{what} could not be drawn.</p>
      <p className="max-w-md text-center leading-5">
        Nothing is lost: what was saved is saved, and the other places work. What went wrong: {error instanceof Error ? error.message : String(error)}
      </p>
      <div className="flex gap-2">
        <Button kind="main" onClick={resetErrorBoundary}>
          Try again
        </Button>
        <Button onClick={() => window.location.reload()}>Load the page anew</Button>
      </div>
    </div>
  );
}
