import type { Schemas } from "@/api/client";
import { api, unwrap } from "@/api/client";

export type Probed = Schemas["ProbedOut"];
export type Side = Schemas["ProbeSideOut"];
export type LookedAt = Schemas["LookedAtIn"];
export type Snapshot<T> = { data: T | null; error: unknown };

/**
 * Values that follow the hand, outside of React: the question that is being answered always comes
 * back, of what is asked meanwhile only the newest is asked next.
 */
export class Reader<Q, T> {
  private snapshot: Snapshot<T> = { data: null, error: null };
  private running = false;
  private waiting: Q | null = null;
  private last = "";
  private listeners = new Set<() => void>();

  constructor(private readonly answer: (question: Q) => Promise<T>) {}

  /** Ask; the same is not asked twice in a row unless `again`. */
  ask(question: Q, again = false): void {
    const text = JSON.stringify(question);
    if (!again && text === this.last) return;
    this.last = text;
    this.waiting = question;
    void this.run();
  }

  /** What was asked is of no use any more. */
  clear(): void {
    this.waiting = null;
    this.last = "";
    this.tell({ data: null, error: null });
  }

  readonly subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  readonly getSnapshot = (): Snapshot<T> => this.snapshot;

  private async run(): Promise<void> {
    if (this.running) return;
    this.running = true;
    while (this.waiting !== null) {
      const question = this.waiting;
      this.waiting = null;
      try {
        const data = await this.answer(question);
        if (this.last) this.tell({ data, error: null });
      } catch (error) {
        if (this.last) this.tell({ ...this.snapshot, error });
      }
    }
    this.running = false;
  }

  private tell(snapshot: Snapshot<T>): void {
    this.snapshot = snapshot;
    for (const listener of this.listeners) listener();
  }
}

type Path = { light: number; camera: number };
export type PointAsked = Path & { seen: LookedAt; point: Schemas["PointIn"] };

export const probeReader = () =>
  new Reader<Path & { seen: LookedAt }, Probed[]>(({ light, camera, seen }) =>
    unwrap(
      api.POST("/api/lights/{light_id}/cameras/{camera_id}/probes/read", {
        params: { path: { light_id: light, camera_id: camera } },
        body: seen,
      }),
    ),
  );

export const pointReader = () =>
  new Reader<PointAsked, Side | null>(async ({ light, camera, seen, point }) => {
    const found = await unwrap(
      api.POST("/api/lights/{light_id}/cameras/{camera_id}/points/read", {
        params: { path: { light_id: light, camera_id: camera } },
        body: { ...seen, points: [point] },
      }),
    );
    return found[0] ?? null;
  });
