import {
  closeView,
  type DraftHeader,
  type DraftMessage,
  requestDraft,
  SCOPES,
  type ScopeCounts,
  SESSION,
  type Seen,
} from "@/api/draft";

/** What is on screen, and of what: labels are written from this, not from what was asked for. */
export type Shown = {
  picture: ImageBitmap;
  counts: ScopeCounts | null;
  header: DraftHeader;
};

/** What a label says; another object only where something of it has changed. */
export type Label = Pick<
  DraftHeader,
  "name" | "matched" | "unseen" | "outside" | "clipped" | "recorded" | "display" | "white"
>;

export type Snapshot = { label: Label | null; error: unknown };

const BUSY_AGAIN = 400; // milliseconds until it is asked again where too many wait

let views = 0;

/**
 * One picture with its counts, outside of React. The picture that is being made always comes and is
 * shown; of what is asked meanwhile the newest waits and the others are dropped. So a hand that
 * does not rest sees pictures all the time, and in the end what it let go of.
 */
export class PictureView {
  readonly name: string;
  shown: Shown | null = null;
  /** The last picture of the whole frame: what is drawn round a part until that comes. */
  backdrop: Shown | null = null;
  /** How wide it is shown, in pixels of the screen; 0 where that is not known. */
  room = 0;
  private snapshot: Snapshot = { label: null, error: null };
  private running = false;
  private waiting: Seen | null = null;
  private last: Seen | null = null;
  private lastText = "";
  private sequence = 0;
  private closed = false;
  private frame = 0;
  private decoding: Promise<void> = Promise.resolve();
  private painters = new Set<() => void>();
  private listeners = new Set<() => void>();

  constructor() {
    views += 1;
    this.name = `${views}`;
  }

  /** Ask for another picture; the same one is not asked for twice. */
  ask(seen: Seen): void {
    const text = JSON.stringify(seen);
    if (this.closed || text === this.lastText) return;
    this.last = seen;
    this.lastText = text;
    this.waiting = seen;
    void this.run();
  }

  /** Ask for the same again, after something went wrong. */
  retry(): void {
    this.waiting = this.last;
    void this.run();
  }

  /** Call a painter whenever another picture is there, and once now. */
  paintWith(painter: () => void): () => void {
    this.painters.add(painter);
    if (this.shown) painter();
    return () => this.painters.delete(painter);
  }

  readonly subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  readonly getSnapshot = (): Snapshot => this.snapshot;

  /** Nobody looks any more; opened again by the next question. */
  close(): void {
    this.closed = true;
    this.waiting = null;
    this.lastText = "";
    cancelAnimationFrame(this.frame);
    if (this.running) closeView(this.name);
  }

  open(): void {
    this.closed = false;
  }

  private async run(): Promise<void> {
    if (this.running) return;
    this.running = true;
    while (this.waiting && !this.closed) {
      const seen = this.waiting;
      this.waiting = null;
      await this.one(seen);
    }
    this.running = false;
  }

  private async one(seen: Seen): Promise<void> {
    this.sequence += 1;
    try {
      const message = await requestDraft({
        ...seen,
        session: SESSION,
        view: this.name,
        sequence: this.sequence,
        scopes: SCOPES,
      });
      if (message === "busy") {
        await new Promise((resolve) => setTimeout(resolve, BUSY_AGAIN));
        this.waiting ??= seen;
        return;
      }
      if (!message) return;
      // The next one is asked for while this one is decoded.
      await this.decoding;
      this.decoding = this.decode(message);
    } catch (problem) {
      if (!this.closed) this.tell({ ...this.snapshot, error: problem });
    }
  }

  private async decode({ header, jpeg, counts }: DraftMessage): Promise<void> {
    const picture = await createImageBitmap(jpeg);
    if (!this.closed) this.show({ picture, counts, header });
  }

  private show(shown: Shown): void {
    this.shown = shown;
    if (!shown.header.region) this.backdrop = shown;
    cancelAnimationFrame(this.frame);
    this.frame = requestAnimationFrame(() => {
      for (const painter of this.painters) painter();
      const { name, matched, unseen, outside, clipped, recorded, display, white } = shown.header;
      const label = { name, matched, unseen, outside, clipped, recorded, display, white };
      const before = this.snapshot;
      const isSame = JSON.stringify(label) === JSON.stringify(before.label);
      if (!isSame || before.error) this.tell({ label, error: null });
    });
  }

  private tell(snapshot: Snapshot): void {
    this.snapshot = snapshot;
    for (const listener of this.listeners) listener();
  }
}
