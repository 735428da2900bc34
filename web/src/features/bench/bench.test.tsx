import { act, renderHook, screen, waitFor } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { toProblem } from "@/api/client";
import type { DraftHeader, DraftRequest, Overrides, Seen } from "@/api/draft";
import { keys, pictureUrl } from "@/api/queries";
import { angle, match } from "@/test/fixtures";
import { show } from "@/test/show";
import { createHand, ofAngle, ofReference } from "./hand";
import { hdrWords } from "./Pictures";
import { PictureView } from "./pictureView";
import { Revisions } from "./Revisions";
import type { Scene } from "./scene/useScene";
import { asShot } from "./seen";
import { next } from "./useBenchPlace";
import { usePictureView } from "./usePictureView";

/** One message of the server: a header and a JPEG of three bytes. */
function message(header: Partial<DraftHeader>): Response {
  const blocks = [{ name: "picture", type: "jpeg", shape: [2, 4, 3], bytes: 3 }];
  const head = new TextEncoder().encode(JSON.stringify({ blocks, ...header }));
  const bytes = new Uint8Array(4 + head.length + 3);
  new DataView(bytes.buffer).setUint32(0, head.length, true);
  bytes.set(head, 4);
  return new Response(bytes);
}

/** A server that answers when it is told to; what it was asked for lies in `asked`. */
function server() {
  const asked: DraftRequest[] = [];
  const open: ((response: Response) => void)[] = [];
  vi.stubGlobal("fetch", (address: string, init: RequestInit) => {
    if (!address.endsWith("draft")) return Promise.resolve(new Response(null, { status: 204 }));
    asked.push(JSON.parse(String(init.body)) as DraftRequest);
    return new Promise<Response>((resolve) => open.push(resolve));
  });
  vi.stubGlobal("createImageBitmap", async () => ({ width: 4, height: 2 }));
  const answer = (header: Partial<DraftHeader>) => open.shift()?.(message(header));
  const fail = (status: number, body: object = {}) =>
    open.shift()?.(new Response(JSON.stringify(body), { status }));
  return { asked, answer, fail };
}

const SCENE: Scene = {
  shown: true,
  show: vi.fn(),
  spots: [],
  run: vi.fn(),
  running: false,
  step: "",
  error: null,
  problem: null,
  toggle: vi.fn(),
  steady: vi.fn(),
  compare: vi.fn(),
  pin: undefined,
  aim: vi.fn(),
};

const seen = (frame: number, overrides: Overrides = {}): Seen => ({
  subject: { kind: "clip", id: 3 },
  stand: "k",
  frame,
  width: 960,
  overrides,
  mark: "",
  whole: false,
});

describe("a picture under the hand", () => {
  it("always comes; the newest waits, and those between are dropped", async () => {
    const { asked, answer } = server();
    const view = new PictureView();
    const painted: number[] = [];
    view.paintWith(() => painted.push(view.shown?.header.frame ?? -1));
    for (const frame of [0, 1, 2, 3]) view.ask(seen(frame));
    expect(asked.map((a) => a.frame)).toEqual([0]);
    answer({ frame: 0 });
    await waitFor(() => expect(painted).toEqual([0]));
    await waitFor(() => expect(asked.map((a) => a.frame)).toEqual([0, 3]));
    answer({ frame: 3 });
    await waitFor(() => expect(painted).toEqual([0, 3]));
    view.ask(seen(3));
    expect(asked).toHaveLength(2);
  });

  it("tells what is on screen, not what was asked for", async () => {
    const { asked, answer } = server();
    const hand = createHand();
    const { result, rerender } = renderHook(
      ({ off }) => usePictureView(seen(0, off ? asShot : {}), hand, ofAngle),
      { initialProps: { off: false } },
    );
    answer({ matched: true, name: "B001" });
    await waitFor(() => expect(result.current.label?.matched).toBe(true));
    rerender({ off: true });
    await waitFor(() => expect(asked).toHaveLength(2));
    expect(asked[1]?.overrides).toEqual({ off: ["match", "trim"] });
    // The new one is not there yet: the old picture stays, and is still said to be matched.
    expect(result.current.label?.matched).toBe(true);
    answer({ matched: false, name: "B001" });
    await waitFor(() => expect(result.current.label?.matched).toBe(false));
  });

  it("follows a balance and frames, each side its own", async () => {
    const { asked, answer } = server();
    const hand = createHand();
    renderHook(() => usePictureView(seen(5), hand, ofReference));
    answer({});
    hand.setState({ dials: { stops: 1, warmth: 0, tint: 0 }, frames: [7, 9] });
    await waitFor(() => expect(asked).toHaveLength(2));
    expect(asked[1]).toMatchObject({ frame: 7, overrides: { dials: { stops: 1 } } });
    expect(ofAngle(seen(5), hand.getState()).frame).toBe(9);
  });

  it("keeps what is shown when one fails, says why, and is asked again where many wait", async () => {
    const { asked, answer, fail } = server();
    const view = new PictureView();
    view.ask(seen(0));
    fail(429);
    await waitFor(() => expect(asked).toHaveLength(2), { timeout: 2000 });
    answer({ frame: 0, name: "B001" });
    await waitFor(() => expect(view.getSnapshot().label?.name).toBe("B001"));
    view.ask(seen(1));
    await waitFor(() => expect(asked).toHaveLength(3));
    fail(422, { code: "media.missing", detail: "There is no file.", hint: "Bring it back." });
    await waitFor(() => expect(view.getSnapshot().error).not.toBeNull());
    expect(toProblem(view.getSnapshot().error).message).toBe("There is no file.");
    expect(view.shown?.header.frame).toBe(0);
  });

  it("is not asked for without a clip, and not shown once it is closed", async () => {
    const { asked, answer } = server();
    renderHook(() => usePictureView(null, createHand(), ofAngle));
    expect(asked).toHaveLength(0);
    const view = new PictureView();
    view.ask(seen(0));
    view.close();
    answer({ frame: 0 });
    await new Promise((resolve) => setTimeout(resolve, 50));
    expect(view.shown).toBeNull();
  });

  it("of HDR says how it is seen on an SDR screen", () => {
    expect(hdrWords(203)).toBe("HDR seen in SDR, clipped at 203 nit");
    expect(hdrWords(1000)).toBe("HDR seen in SDR, 2.3 stops darker: white is 1000 nit");
  });
});

describe("revisions", () => {
  it("name the one in force and offer to go back to the others", async () => {
    const list = [
      match({ id: 9, number: 3, restored_from: 1 }),
      match({ id: 8, number: 2, is_current: false, model: "white", expected: 2.41 }),
      match({ id: 7, number: 1, is_current: false }),
    ];
    const fetch = vi.fn(
      async (request: Request) =>
        new Response(JSON.stringify(request.method === "POST" ? list[0] : list), {
          headers: { "Content-Type": "application/json" },
        }),
    );
    vi.stubGlobal("fetch", fetch);
    const onCompare = vi.fn();
    show(
      <Revisions
        clips={[{ id: 1 }, { id: 2 }]}
        scene={SCENE}
        frames={[0, 0]}
        shared={0}
        angle={angle({ base_number: 3 })}
        compared={null}
        onCompare={onCompare}
      />,
    );
    expect(await screen.findByText(/as revision 1/)).toBeTruthy();
    expect(screen.getByText("in force")).toBeTruthy();
    expect(screen.getByText("2.41")).toBeTruthy();
    act(() => screen.getAllByText("Compare")[0]?.click());
    expect(onCompare).toHaveBeenLastCalledWith(expect.objectContaining({ id: 8 }));
    const back = screen.getAllByText("Go back to this");
    expect(back).toHaveLength(2);
    act(() => back[0]?.click());
    await waitFor(() => expect(fetch.mock.calls.some(([r]) => r.method === "POST")).toBe(true));
    const post = fetch.mock.calls.map(([r]) => r).find((r) => r.method === "POST");
    expect(post?.url).toContain("/api/matches/8/restore");
    expect(await post?.json()).toEqual({ base_number: 3 });
  });

  it("lead to the Chart when there is none", async () => {
    vi.stubGlobal(
      "fetch",
      async () => new Response("[]", { headers: { "Content-Type": "application/json" } }),
    );
    show(
      <Revisions
        clips={[{ id: 1 }, { id: 2 }]}
        scene={SCENE}
        frames={[0, 0]}
        shared={0}
        angle={angle({ match: null, base_number: 0 })}
        compared={null}
        onCompare={vi.fn()}
      />,
    );
    const link = await screen.findByText("Open the Chart");
    expect(link.getAttribute("href")).toBe("/p/1/l/1/c/2/chart");
  });
});

describe("addresses and keys", () => {
  it("give every picture its size, stage and state", () => {
    expect(pictureUrl(3, 1, 480, "input", "k 1")).toBe(
      "/api/clips/3/frames/1/picture?width=480&stage=input&k=k+1",
    );
    expect(keys.angle(1, 2)).not.toEqual(keys.angle(2, 1));
  });

  it("go round", () => {
    expect(["a", "b", "c"].map((v) => next(["a", "b", "c"], v))).toEqual(["b", "c", "a"]);
  });
});
