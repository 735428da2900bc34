import { Component, type ErrorInfo, type ReactNode } from "react";

/** A view that breaks says so and leaves the way back; what is kept on the server is safe. */
export class ErrorBoundary extends Component<
  { children: ReactNode },
  { error: unknown; broke: boolean }
> {
  override state = { error: null as unknown, broke: false };

  static getDerivedStateFromError(error: unknown) {
    return { error, broke: true };
  }

  override componentDidCatch(error: unknown, info: ErrorInfo): void {
    console.error(error, info.componentStack);
  }

  override render(): ReactNode {
    if (!this.state.broke) return this.props.children;
    const words = this.state.error instanceof Error ? this.state.error.message : "";
    return (
      <main role="alert" className="flex flex-col items-start gap-2 p-6">
        <p className="text-base font-semibold">This view has broken.</p>
        <p className="faint">
          What was kept is safe; what was under the hand is not. {words && `It says: ${words}`}
        </p>
        <div className="flex gap-2">
          <button type="button" className="btn btn-sm" onClick={() => window.location.reload()}>
            Load it again
          </button>
          <a className="btn btn-sm" href="/">
            To the Board
          </a>
        </div>
      </main>
    );
  }
}
