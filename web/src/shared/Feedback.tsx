import { type ReactNode, useEffect, useRef } from "react";
import { toProblem } from "@/api/client";

/** What went wrong and what to do, in the server's words. */
export function Problem({
  error,
  onRetry,
  onClose,
}: {
  error: unknown;
  onRetry?: () => void;
  onClose?: () => void;
}) {
  const problem = toProblem(error);
  // Below the fold of a panel it would not be seen: it comes into view when it arises.
  const box = useRef<HTMLDivElement>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: again for another problem
  useEffect(() => {
    // In braces: newer browsers return a promise, which is no clean-up.
    box.current?.scrollIntoView?.({ block: "nearest" });
  }, [problem.message]);
  return (
    <div
      ref={box}
      role="alert"
      className="flex items-start gap-3 border-l-2 border-accent bg-base-100 p-3"
    >
      <div className="min-w-0">
        <p className="font-semibold">{problem.message}</p>
        <p className="faint">{problem.hint}</p>
      </div>
      {onRetry && (
        <button type="button" className="btn btn-sm ml-auto" onClick={onRetry}>
          Try again
        </button>
      )}
      {onClose && (
        <button
          type="button"
          className="btn btn-xs btn-square ml-auto"
          aria-label="Close the message"
          onClick={onClose}
        >
          ×
        </button>
      )}
    </div>
  );
}

export function Loading({ what }: { what: string }) {
  return (
    <output className="faint flex items-center gap-2 p-4">
      <span className="loading loading-spinner loading-xs" aria-hidden="true" />
      {what}
    </output>
  );
}

export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="flex flex-col items-start gap-2 p-6">
      <p className="text-base font-semibold">{title}</p>
      <div className="faint flex flex-col items-start gap-3">{children}</div>
    </div>
  );
}
