import { act, renderHook, screen, waitFor } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { toProblem } from "@/api/client";
import { keys, pictureUrl } from "@/api/queries";
import { angle, clip, match } from "@/test/fixtures";
import { show } from "@/test/show";
import { hdrWords } from "./Pictures";
import { Revisions } from "./Revisions";
import { next } from "./useBenchPlace";
import { useDraft } from "./useDraft";

/** One message of the server: a header and a JPEG of three bytes. */
function message(sequence: number): Response {
  const head = new TextEncoder().encode(
    JSON.stringify({ sequence, jpeg: 3, scopes: false, below: 0, above: 0.25 }),
  );
  const bytes = new Uint8Array(4 + head.length + 3);
  new DataView(bytes.buffer).setUint32(0, head.length, true);
  bytes.set(head, 4);
  return new Response(bytes);
}

const MATCHED = { stages: [{ kind: "decode" }, { kind: "match" }, { kind: "output" }] };
const PLAIN = { stages: [{ kind: "decode" }, { kind: "output" }] };

function stub(answer: (body: { sequence: number }) => Promise<Response>) {
  const fetch = vi.fn((_: string, init: RequestInit) =>
    answer(JSON.parse(String(init.body)) as { sequence: number }),
  );
  vi.stubGlobal("fetch", fetch);
  vi.stubGlobal("createImageBitmap", async () => ({ width: 4, height: 2 }));
  return fetch;
}

describe("HDR on an SDR screen", () => {
  it("is asked for as it is to be seen, and said as it was", async () => {
    const asked = stub(async ({ sequence }) => message(sequence));
    const { rerender } = renderHook(({ whole }) => useDraft(clip(), 0, PLAIN, { whole }), {
      initialProps: { whole: false },
    });
    await waitFor(() => expect(asked).toHaveBeenCalledTimes(1));
    rerender({ whole: true });
    await waitFor(() => expect(asked).toHaveBeenCalledTimes(2));
    const bodies = asked.mock.calls.map((call) => JSON.parse(String(call[1].body)));
    expect(bodies.map((body) => body.whole)).toEqual([false, true]);
    expect(hdrWords(203)).toBe("HDR seen in SDR, clipped at 203 nit");
    expect(hdrWords(1000)).toBe("HDR seen in SDR, 2.3 stops darker: white is 1000 nit");
  });
});

describe("a draft", () => {
  it("tells what is on screen, not what was asked for", async () => {
    const waiting: (() => void)[] = [];
    stub(
      ({ sequence }) =>
        new Promise((resolve) => {
          if (sequence === 1) resolve(message(1));
          else waiting.push(() => resolve(message(sequence)));
        }),
    );
    const { result, rerender } = renderHook(({ chain }) => useDraft(clip(), 0, chain), {
      initialProps: { chain: MATCHED },
    });
    await waitFor(() => expect(result.current.draft?.matched).toBe(true));
    rerender({ chain: PLAIN });
    // The new one is not there yet: the old picture stays, and is still said to be matched.
    expect(result.current.draft?.matched).toBe(true);
    await act(async () => waiting[0]?.());
    await waitFor(() => expect(result.current.draft?.matched).toBe(false));
    expect(result.current.draft?.above).toBe(0.25);
  });

  it("that was superseded changes nothing and is no error", async () => {
    const fetch = stub(async () => new Response("{}", { status: 409 }));
    const { result } = renderHook(() => useDraft(clip(), 0, PLAIN));
    await waitFor(() => expect(fetch).toHaveBeenCalled());
    expect(result.current.error).toBeNull();
    expect(result.current.draft).toBeNull();
  });

  it("that fails keeps the picture and says why", async () => {
    const problem = { code: "media.missing", detail: "There is no file.", hint: "Bring it back." };
    stub(async () => new Response(JSON.stringify(problem), { status: 422 }));
    const { result } = renderHook(() => useDraft(clip(), 0, PLAIN));
    await waitFor(() => expect(result.current.error).not.toBeNull());
    expect(toProblem(result.current.error).message).toBe("There is no file.");
  });

  it("is not asked for without a clip", () => {
    const fetch = stub(async () => message(1));
    renderHook(() => useDraft(undefined, 0, PLAIN));
    expect(fetch).not.toHaveBeenCalled();
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
    show(<Revisions angle={angle({ newest_number: 3 })} compared={null} onCompare={onCompare} />);
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
        angle={angle({ match: null, newest_number: 0 })}
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
