import { fireEvent, render, screen, waitFor, within } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Arrival, ClipRow, Job } from "@/api/client";
import { board, clip } from "@/test/fixtures";
import { show } from "@/test/show";
import { FootagePage, LastBroughtIn } from "./FootagePage";

const arrival = (changes: Partial<Arrival> = {}): Arrival => ({
  id: 1,
  folder: "card/Birch",
  name: "B007_01",
  file_count: 1,
  missing: 0,
  state: "proposed",
  problem: null,
  letter: "B",
  camera_name: "Birch",
  encoding: "",
  encoding_name: "",
  light_name: "Foundry",
  kind: "scene",
  differs: "",
  matrices: [],
  matrix: "",
  reasons: { letter: "its reel, B007" },
  media: "video",
  format: "ProRes",
  width: 1920,
  height: 1080,
  bits: 10,
  frame_count: 48,
  rate: "24",
  timecode: "10:00:00:00",
  facts: {},
  warnings: [],
  ...changes,
});

const row = (changes: Partial<ClipRow> = {}): ClipRow => ({
  ...clip(),
  encoding_name: "S-Log3 / S-Gamut3.Cine",
  differs: "",
  facts: { lens: "35 mm", exposure_index: "800" },
  overrides: {},
  is_missing: false,
  is_checked: true,
  findings: [],
  sidecars: [],
  strip: [0, 7, 23],
  ...changes,
});

type Sent = { method: string; path: string; body: unknown };

function serve(arrivals: Arrival[], clips: ClipRow[], refuse: Record<string, unknown> = {}) {
  const sent: Sent[] = [];
  vi.stubGlobal("fetch", async (request: Request | string, init?: RequestInit) => {
    const asked =
      typeof request === "string" ? new Request(new URL(request, "http://x"), init) : request;
    const path = new URL(asked.url).pathname;
    const text = asked.headers.get("Content-Type")?.includes("json") ? await asked.text() : "";
    if (asked.method !== "GET")
      sent.push({ method: asked.method, path, body: text ? JSON.parse(text) : null });
    const json = (body: unknown, status = 200) =>
      new Response(JSON.stringify(body), {
        status,
        headers: { "Content-Type": "application/json" },
      });
    for (const [part, problem] of Object.entries(refuse))
      if (asked.method !== "GET" && path.includes(part)) return json(problem, 422);
    if (path.endsWith("/board")) return json(board([]));
    if (path.endsWith("/arrivals") && asked.method === "GET") return json(arrivals);
    if (path.endsWith("/clips")) return json({ total: clips.length, clips });
    if (path.endsWith("/encodings"))
      return json([
        { slug: "v-log/v-gamut", name: "V-Log / V-Gamut", kind: "camera", source: "" },
        {
          slug: "s-log3/s-gamut3.cine",
          name: "S-Log3 / S-Gamut3.Cine",
          kind: "camera",
          source: "",
        },
      ]);
    if (path.endsWith("/media"))
      return json({
        folder: "",
        folders: ["card"],
        sequences: [
          { name: "C1", files: ["C1_1.dpx"], media: "stills", missing: 2, is_registered: false },
        ],
      });
    if (path.endsWith("/uploads") || path.includes("/uploads?"))
      return json({ folder: "dropped/x", file: "dropped/x/a.mov" }, 201);
    return json([], asked.method === "POST" ? 201 : 200);
  });
  return sent;
}

const open = () => show(<FootagePage />, "/p/1/footage", "/p/:production/footage");

afterEach(() => vi.unstubAllGlobals());

describe("what waits", () => {
  it("is corrected in all marked rows at once", async () => {
    const sent = serve([arrival(), arrival({ id: 2, name: "B007_02" })], []);
    open();
    fireEvent.click(await screen.findByLabelText("All"));
    fireEvent.change(screen.getByLabelText("Kind of B007_01"), { target: { value: "chart" } });
    await waitFor(() =>
      expect(sent).toContainEqual({
        method: "PATCH",
        path: "/api/productions/1/arrivals",
        body: { ids: [1, 2], kind: "chart" },
      }),
    );
  });

  it("does not come in before a new camera's encoding is said", async () => {
    serve([arrival({ letter: "F", camera_name: "Fir" })], []);
    open();
    expect(await screen.findByText("Say first what camera F records.")).toBeTruthy();
    expect(screen.getByRole("button", { name: /Bring in all/ })).toHaveProperty("disabled", true);
    expect(screen.getByLabelText("Encoding of camera F")).toBeTruthy();
  });

  it("comes in as it is proposed", async () => {
    const sent = serve([arrival(), arrival({ id: 2, name: "B007_02" })], []);
    open();
    fireEvent.click(await screen.findByLabelText("B007_02"));
    fireEvent.click(screen.getByRole("button", { name: "Bring in 1" }));
    await waitFor(() =>
      expect(sent.at(-1)).toEqual({
        method: "POST",
        path: "/api/productions/1/arrivals/accept",
        body: { ids: [2] },
      }),
    );
  });

  it("says what could not be read, and what to do", async () => {
    const problem = {
      code: "media.truncated",
      detail: "B7.mov breaks off.",
      hint: "Copy it again.",
    };
    serve([arrival({ state: "failed", problem })], []);
    open();
    expect((await screen.findByRole("alert")).textContent).toContain("Copy it again.");
  });

  it("takes another light's name by hand", async () => {
    const sent = serve([arrival()], []);
    open();
    fireEvent.change(await screen.findByLabelText("Light of B007_01"), {
      target: { value: "\n" },
    });
    const field = screen.getByLabelText("Light of B007_01");
    fireEvent.change(field, { target: { value: "Yard" } });
    fireEvent.blur(field);
    await waitFor(() => expect(sent.at(-1)?.body).toEqual({ ids: [1], light_name: "Yard" }));
  });
});

describe("clips", () => {
  it("get only the fields that are ticked, and the button names them", async () => {
    const sent = serve([], [row(), row({ id: 4, name: "B001_02", kind: "scene" })]);
    open();
    fireEvent.click(await screen.findByLabelText("B001_02"));
    const panel = screen.getByLabelText("Settings of clips");
    const apply = within(panel).getByRole("button", { name: "Tick what is to be applied" });
    expect(apply).toHaveProperty("disabled", true);
    await within(panel).findByRole("option", { name: "V-Log / V-Gamut" });
    fireEvent.change(within(panel).getByLabelText("encoding"), {
      target: { value: "v-log/v-gamut" },
    });
    fireEvent.click(within(panel).getByRole("button", { name: "Apply encoding to 1 clip" }));
    await waitFor(() =>
      expect(sent.at(-1)?.body).toEqual({
        ids: [4],
        values: { encoding: "v-log/v-gamut" },
        base: 4,
      }),
    );
  });

  it("of raw leave exposure index and white alone unless they are ticked", async () => {
    const sent = serve([], [row({ media: "raw", overrides: { stops: 1 } })]);
    open();
    fireEvent.click(await screen.findByLabelText("B001_01"));
    const panel = screen.getByLabelText("Settings of clips");
    fireEvent.click(within(panel).getByLabelText("Apply highlights"));
    fireEvent.click(within(panel).getByRole("button", { name: "Apply highlights to 1 clip" }));
    await waitFor(() =>
      expect(sent.at(-1)?.body).toEqual({ ids: [3], values: { highlights: "clip" }, base: 4 }),
    );
    fireEvent.click(within(panel).getByRole("button", { name: "Back to the camera's exposure" }));
    await waitFor(() =>
      expect(sent.at(-1)?.body).toEqual({ ids: [3], values: { stops: null }, base: 4 }),
    );
  });

  it("move under the arrow keys through the frames that are kept small", async () => {
    serve([], [row()]);
    open();
    const button = (await screen.findByText("B001_01")).closest("button") as HTMLElement;
    const shown = () => button.querySelector("img")?.getAttribute("src") ?? "";
    expect(shown()).toContain("/frames/0/");
    for (const frame of [7, 23, 23]) {
      fireEvent.keyDown(button, { key: "ArrowRight" });
      expect(shown()).toContain(`/frames/${frame}/`);
    }
    fireEvent.keyDown(button, { key: "ArrowLeft" });
    expect(shown()).toContain("/frames/7/");
  });

  it("that are missing say so and can be looked for", async () => {
    const sent = serve([], [row({ is_missing: true })]);
    open();
    fireEvent.click(await screen.findByRole("button", { name: "Look for missing media" }));
    await waitFor(() => expect(sent.at(-1)?.path).toBe("/api/productions/1/find-media"));
  });
});

describe("media", () => {
  it("are looked through folder by folder", async () => {
    const sent = serve([], []);
    open();
    expect(await screen.findByText("1 frames, 2 missing")).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: "Look through all" }));
    await waitFor(() => expect(sent.at(-1)?.body).toEqual({ folders: [""] }));
  });

  it("that are refused are said, and the rest goes on", async () => {
    const sent = serve([], [], {
      uploads: { code: "upload.kind", detail: "a.exe is nothing.", hint: "Pictures are." },
    });
    open();
    fireEvent.change(await screen.findByLabelText("Files to bring in"), {
      target: { files: [new File(["x"], "a.exe"), new File(["x"], "b.exe")] },
    });
    expect(await screen.findByText("a.exe: a.exe is nothing. Pictures are.")).toBeTruthy();
    await waitFor(() => expect(sent).toHaveLength(2));
    expect(screen.getByText(/^b.exe/)).toBeTruthy();
  });
});

it("says what the manifests confirmed, and which cannot be read", () => {
  const job = (result: Record<string, unknown>) =>
    ({ id: 1, kind: "bring-in", state: "done", result }) as unknown as Job;
  const { rerender, container } = render(
    <LastBroughtIn jobs={[job({ clips: 3, verified: 40, failed: [], unread: [] })]} />,
  );
  expect(container.textContent).toBe(
    "Last: 3 clips came in, 40 files are what their manifest says.",
  );
  const unread = ["0001.mhl: this is not XML"];
  rerender(<LastBroughtIn jobs={[job({ clips: 1, verified: 0, failed: [{}], unread })]} />);
  expect(container.textContent).toMatch(/none was checked.*1 could not be brought in/);
  expect(container.textContent).toContain("A manifest cannot be read: 0001.mhl");
});
