import { fireEvent, screen, waitFor } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { BringIn } from "@/features/footage";
import { board, camera } from "@/test/fixtures";
import { show } from "@/test/show";
import { CameraSheet } from "./CameraSheet";
import { LightSheet } from "./LightSheet";
import { ProductionSheet } from "./ProductionSheet";

const ENCODINGS = [
  { slug: "s-log3/s-gamut3.cine", name: "S-Log3 / S-Gamut3.Cine", kind: "camera", source: "" },
  { slug: "v-log/v-gamut", name: "V-Log / V-Gamut", kind: "camera", source: "" },
];
const MEDIA = {
  folder: "",
  folders: ["card"],
  sequences: [
    { name: "B001_03", files: ["B001_03_1.png", "B001_03_2.png"], is_registered: false },
    { name: "B001_01", files: ["B001_01_1.png"], is_registered: true },
  ],
};

const CURVE = { code: [0, 1], lin: [0, 1], stops: [null, 2.5] };
const TONE = { contrast: 1.05, grey: 0.117, start: 0, stops_to_white: 6, black: 0 };
const DISPLAYS = [
  { slug: "rec709", name: "Rec.709, BT.1886", source: "", peak: 1, tone: TONE },
  { slug: "rec2100-pq-1000", name: "PQ", source: "", peak: 10, tone: { ...TONE, grey: 0.26 } },
];

const USUAL = [{ files: "DPX pictures", ranges: [], levels: "full", words: "full curve levels." }];

type Sent = { method: string; path: string; body: unknown };

/** Stand in for the server and note what is sent. */
function serve(change: { status: number; body: unknown } = { status: 200, body: {} }): Sent[] {
  const sent: Sent[] = [];
  const answer = (body: unknown, status = 200) =>
    new Response(JSON.stringify(body), { status, headers: { "Content-Type": "application/json" } });
  vi.stubGlobal("fetch", async (request: Request) => {
    const path = new URL(request.url).pathname;
    if (path.endsWith("/usual")) return answer(USUAL);
    const found = { "/api/media": MEDIA, "/api/encoding-curve": CURVE, "/api/displays": DISPLAYS };
    if (request.method === "GET") return answer(found[path as keyof typeof found] ?? ENCODINGS);
    if (path === "/api/tone-curve")
      return answer({ stops: [0], light: [0.1], code: [0.4], peak: 1 });
    sent.push({ method: request.method, path, body: await request.json() });
    return answer(change.body, change.status);
  });
  return sent;
}

const EMPTY = board([]);

describe("the camera's sheet", () => {
  it("proposes what its kind of file usually goes with, and takes it by one press", async () => {
    const sent = serve();
    show(
      <CameraSheet
        board={EMPTY}
        camera={camera({ levels: "legal", quantisation: "full" })}
        onClose={vi.fn()}
      />,
    );
    const usual = await screen.findByLabelText("Usual combinations");
    expect(usual.textContent).toContain("Its DPX pictures: usually full curve levels.");
    fireEvent.click(screen.getByText("Set it so"));
    expect(screen.getByText("So it is set.")).toBeTruthy();
    fireEvent.click(screen.getByText("Save"));
    // The range is video's: pictures say nothing about it.
    await waitFor(() => expect(sent[0]?.body).toEqual({ levels: "full", base: 4 }));
  });

  it("says what a changed encoding costs, and sends it", async () => {
    const sent = serve();
    const onClose = vi.fn();
    show(<CameraSheet board={EMPTY} camera={camera()} onClose={onClose} />);
    await screen.findByText("V-Log / V-Gamut");
    expect(screen.queryByText(/fitted again/)).toBeNull();
    // By any part of its name, with the keys alone.
    const search = screen.getByPlaceholderText(/Search/);
    fireEvent.change(search, { target: { value: "gamut v-log" } });
    expect(screen.queryByText("S-Log3 / S-Gamut3.Cine", { selector: "button *" })).toBeNull();
    fireEvent.keyDown(search, { key: "Enter" });
    expect(screen.getByText(/fitted again/)).toBeTruthy();
    fireEvent.click(screen.getByText("Save"));
    await waitFor(() => expect(onClose).toHaveBeenCalled());
    // What was not changed here is not sent: somebody else may have changed it meanwhile.
    expect(sent[0]).toEqual({
      method: "PATCH",
      path: "/api/cameras/2",
      body: { encoding: "v-log/v-gamut", base: 4 },
    });
  });

  it("offers a new camera only letters that are free", () => {
    serve();
    show(<CameraSheet board={EMPTY} camera={null} onClose={vi.fn()} />);
    const letters = [...screen.getByLabelText("Letter").querySelectorAll("option")].map(
      (o) => o.value,
    );
    expect(letters.slice(0, 2)).toEqual(["C", "D"]);
  });
});

describe("sheets", () => {
  it("stay as they were filled in when the server refuses, with its words", async () => {
    serve({
      status: 409,
      body: { code: "name.taken", detail: "There is such a light.", hint: "Choose another one." },
    });
    const onClose = vi.fn();
    show(<LightSheet board={EMPTY} light={null} onClose={onClose} />);
    fireEvent.change(screen.getByLabelText("Name"), { target: { value: "Foundry" } });
    fireEvent.click(screen.getByText("Add"));
    expect((await screen.findByRole("alert")).textContent).toContain(
      "There is such a light.Choose another one.",
    );
    expect((screen.getByLabelText("Name") as HTMLInputElement).value).toBe("Foundry");
    expect(onClose).not.toHaveBeenCalled();
  });

  it("change the reference camera by name", async () => {
    const sent = serve();
    show(<ProductionSheet board={EMPTY} onClose={vi.fn()} />);
    fireEvent.change(screen.getByLabelText(/^Reference camera/), { target: { value: "2" } });
    fireEvent.change(screen.getByLabelText(/^In tune up to/), { target: { value: "0.8" } });
    fireEvent.click(screen.getByText("Save"));
    await waitFor(() => expect(sent).toHaveLength(1));
    expect(sent[0]?.body).toMatchObject({ reference_camera_id: 2, tolerance: 0.8 });
  });
});

describe("bringing in", () => {
  it("registers a recording for the chosen camera and shows what is there already", async () => {
    const sent = serve({ status: 201, body: {} });
    show(<BringIn board={EMPTY} light={1} camera={2} onClose={vi.fn()} />);
    await screen.findByText("B001_03");
    expect(screen.getByText("2 frames")).toBeTruthy();
    expect(screen.getAllByText("brought in")).toHaveLength(1);
    fireEvent.click(screen.getByText("as chart"));
    await waitFor(() => expect(sent).toHaveLength(1));
    expect(sent[0]?.body).toEqual({
      camera_id: 2,
      light_id: 1,
      kind: "chart",
      name: "B001_03",
      files: ["B001_03_1.png", "B001_03_2.png"],
    });
    await waitFor(() => expect(screen.getAllByText("brought in")).toHaveLength(2));
  });

  it("asks for a camera and a light before", () => {
    serve();
    show(<BringIn board={{ ...EMPTY, lights: [] }} onClose={vi.fn()} />);
    expect(screen.getByText(/Add a camera and a light first/)).toBeTruthy();
  });
});
