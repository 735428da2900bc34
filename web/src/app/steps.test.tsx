import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { authorHeaders, authorMark, setAuthorName } from "@/api/author";
import { show } from "@/test/show";
import { Steps } from "./Steps";

const ENTRIES = [
  { sequence: 3, kind: "balance.set", words: "Foundry: balance 1", who: "Jörn", is_own: false },
  { sequence: 2, kind: "undo", words: "Undone: Light Yard added", who: "you", is_own: true },
  { sequence: 1, kind: "light.create", words: "Light Yard added", who: "you", is_own: true },
].map((e) => ({ ...e, is_undone: e.sequence === 1, created: "2026-11-29T07:01:00Z" }));

type Sent = { path: string; author: string | null };

/** A log that has something to undo, to redo, or neither; what was sent is kept. */
function serve({
  undo = null,
  redo = null,
  answer = () => Response.json({ words: "Undone: B: note none → lens 3", head: 4 }),
}: {
  undo?: string | null;
  redo?: string | null;
  answer?: () => Response;
} = {}): Sent[] {
  const sent: Sent[] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    const path = new URL(request.url).pathname;
    if (request.method === "GET") return Response.json({ head: 3, undo, redo, changes: ENTRIES });
    sent.push({ path, author: request.headers.get("Syntonos-Author") });
    return answer();
  });
  return sent;
}

const button = (name: RegExp) => screen.findByRole("button", { name });

beforeEach(() => localStorage.clear());

describe("undo and redo", () => {
  it("say what they would do, and are off where there is nothing", async () => {
    serve({ undo: "B in Foundry: match 2 fitted" });
    show(<Steps production={1} />);
    const undo = await button(/^Undo: B in Foundry: match 2 fitted$/);
    expect(undo.hasAttribute("disabled")).toBe(false);
    const redo = await button(/^Redo$/);
    expect(redo.hasAttribute("disabled")).toBe(true);
    expect(redo.title).toBe("Nothing to redo");
  });

  it("go by keys, as the author of this browser, and say what was done", async () => {
    const sent = serve({ undo: "a step", redo: "another" });
    show(<Steps production={7} />);
    await button(/^Undo: a step$/);
    fireEvent.keyDown(window, { key: "z", ctrlKey: true });
    expect(await screen.findByText("Undone: B: note none → lens 3")).toBeTruthy();
    fireEvent.keyDown(window, { key: "Z", ctrlKey: true, shiftKey: true });
    await waitFor(() => expect(sent).toHaveLength(2));
    fireEvent.keyDown(window, { key: "y", metaKey: true });
    await waitFor(() => expect(sent).toHaveLength(3));
    expect(sent.map((s) => s.path.split("/").slice(-2).join("/"))).toEqual([
      "7/undo",
      "7/redo",
      "7/redo",
    ]);
    expect(new Set(sent.map((s) => s.author))).toEqual(new Set([authorMark()]));
  });

  it("keep every press, one after the other", async () => {
    let open = 0;
    let most = 0;
    const sent: string[] = [];
    vi.stubGlobal("fetch", async (request: Request) => {
      if (request.method === "GET")
        return Response.json({ head: 3, undo: "a step", redo: null, changes: ENTRIES });
      open += 1;
      most = Math.max(most, open);
      await new Promise((done) => setTimeout(done, 20));
      open -= 1;
      sent.push(new URL(request.url).pathname);
      return Response.json({ words: "Undone", head: 4 });
    });
    show(<Steps production={1} />);
    await button(/^Undo: a step$/);
    for (let k = 0; k < 3; k += 1) fireEvent.keyDown(window, { key: "z", ctrlKey: true });
    await waitFor(() => expect(sent).toHaveLength(3));
    expect(most).toBe(1);
  });

  it("leave fields and open sheets their own undo", async () => {
    const sent = serve({ undo: "a step" });
    show(
      <>
        <Steps production={1} />
        <input aria-label="note" />
        <input aria-label="dial" type="range" />
      </>,
    );
    await button(/^Undo: a step$/);
    fireEvent.keyDown(screen.getByLabelText("note"), { key: "z", ctrlKey: true });
    const sheet = document.body.appendChild(document.createElement("dialog"));
    sheet.setAttribute("open", "");
    fireEvent.keyDown(window, { key: "z", ctrlKey: true });
    sheet.remove();
    fireEvent.keyDown(window, { key: "z" });
    expect(sent).toHaveLength(0);
    fireEvent.keyDown(screen.getByLabelText("dial"), { key: "z", ctrlKey: true });
    await waitFor(() => expect(sent).toHaveLength(1));
  });

  it("that are refused say why, with both steps named", async () => {
    const problem = {
      code: "undo.built_on",
      detail: "“match 1” cannot be taken back, it was changed since: “match 2” by Jörn.",
      hint: "Take that back first.",
    };
    serve({ undo: "match 1", answer: () => Response.json(problem, { status: 409 }) });
    show(<Steps production={1} />);
    fireEvent.click(await button(/^Undo: match 1$/));
    const said = await screen.findByText(/match 1.*match 2.*Jörn.*Take that back first/);
    expect(said.tagName).toBe("OUTPUT");
  });
});

describe("the log", () => {
  it("tells who did what, strikes what was undone, and takes a name", async () => {
    serve({ undo: "a step" });
    show(<Steps production={1} />);
    await button(/^Undo: a step$/);
    fireEvent.click(await button(/^Log$/));
    const rows = screen.getAllByRole("row", { hidden: true });
    expect(rows.map((r) => r.querySelectorAll("td")[0]?.textContent)).toEqual(["3", "2", "1"]);
    expect(within(rows[0] as HTMLElement).getByText("Jörn")).toBeTruthy();
    const struck = within(rows[2] as HTMLElement).getByText("Light Yard added");
    expect(struck.className).toContain("line-through");
    fireEvent.change(screen.getByLabelText("your name in it"), { target: { value: "Ādele " } });
    expect(decodeURIComponent(authorHeaders()["Syntonos-Author-Name"] ?? "")).toBe("Ādele");
  });
});

it("an author's mark stays the same, and a name may be of any script", () => {
  const mark = authorMark();
  expect(mark.length).toBeGreaterThanOrEqual(16);
  expect(authorMark()).toBe(mark);
  setAuthorName("名前");
  // Headers are Latin-1 only.
  expect(authorHeaders()["Syntonos-Author-Name"]).toMatch(/^[\x20-\x7e]+$/);
});
