import { fireEvent, screen, waitFor } from "@testing-library/react";
import { useState } from "react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Output } from "@/api/client";
import { show } from "@/test/show";
import { Outputs } from "./Outputs";
import { FromConfig, OwnEncoding } from "./OwnEncoding";

const TONE = { contrast: 1.05, grey: 0.117, start: 0, stops_to_white: 6, black: 0 };
const HDR = { ...TONE, grey: 0.26 };
const ANSWERS: Record<string, unknown> = {
  "/api/displays": [
    { slug: "rec709", name: "Rec.709, BT.1886", source: "", peak: 1, tone: TONE },
    { slug: "rec2100-pq-1000", name: "Rec.2100 PQ", source: "", peak: 10, tone: HDR },
  ],
  "/api/tone-curve": { stops: [-1, 0, 1], light: [0.05, 0.1, 0.2], code: [0.3, 0.4, 0.5], peak: 1 },
  "/api/configs": ["studio", "cg"],
  "/api/configs/spaces": [
    { name: "Pit Log", family: "Input", is_scene: true },
    { name: "Linear", family: "Utility", is_scene: true },
  ],
  "/api/encoding-curve": { code: [0, 0.5, 1], lin: [0, 0.2, 9], stops: [null, 0.15, 5.6] },
};

type Sent = { path: string; body: unknown };
let sent: Sent[] = [];
let refuse = false;

beforeEach(() => {
  sent = [];
  refuse = false;
  vi.stubGlobal("fetch", async (request: Request) => {
    const path = new URL(request.url).pathname;
    if (request.method !== "GET" && request.headers.get("Content-Type")?.includes("json"))
      sent.push({ path, body: await request.json() });
    if (refuse)
      return Response.json(
        { code: "encoding.invalid", detail: "The curve falls at code 0.400.", hint: "Mend it." },
        { status: 422 },
      );
    return Response.json(ANSWERS[path] ?? { slug: "own-1", name: "mine" });
  });
});

describe("an encoding of one's own", () => {
  it("is checked, plotted and kept as it was entered", async () => {
    const done = vi.fn();
    show(<OwnEncoding production={1} onDone={done} />);
    fireEvent.change(screen.getByLabelText("Its name"), { target: { value: "Pit Log" } });
    fireEvent.change(screen.getByLabelText("base"), { target: { value: "2" } });
    fireEvent.click(screen.getByText("Check and plot"));
    expect(await screen.findByTitle("The entered curve")).toBeTruthy();
    fireEvent.click(screen.getByText("Keep with the production"));
    await waitFor(() => expect(done).toHaveBeenCalledWith("own-1"));
    const { body } = sent.at(-1) as { body: { definition: Record<string, unknown> } };
    expect(body.definition).toMatchObject({
      name: "Pit Log",
      gamut: [
        [0.708, 0.292],
        [0.17, 0.797],
        [0.131, 0.046],
      ],
      white: [0.3127, 0.329],
    });
    expect((body.definition.log as { base: number }).base).toBe(2);
  });

  it("takes a table and a known gamut, and says what is wrong with them", async () => {
    refuse = true;
    show(<OwnEncoding production={1} onDone={vi.fn()} />);
    fireEvent.click(screen.getByText("Table of light"));
    fireEvent.change(screen.getByLabelText(/Scene-linear at even codes/), {
      target: { value: "0 0.1\n0.2, 0.15" },
    });
    fireEvent.change(screen.getByLabelText(/primaries/), { target: { value: "bt2020" } });
    fireEvent.click(screen.getByText("Check and plot"));
    expect(await screen.findByText(/falls at code 0.400/)).toBeTruthy();
    expect(sent[0]?.body).toMatchObject({
      definition: { gamut: "bt2020", table: [0, 0.1, 0.2, 0.15] },
    });
  });

  it("comes from a config under the config's own name", async () => {
    const done = vi.fn();
    show(<FromConfig production={1} onDone={done} />);
    await screen.findByText("studio");
    fireEvent.change(screen.getByRole("combobox"), { target: { value: "studio" } });
    await screen.findByText("Pit Log");
    fireEvent.change(screen.getByLabelText("Search colour spaces"), { target: { value: "pit" } });
    expect(screen.queryByText("Linear")).toBeNull();
    fireEvent.click(screen.getByText("Pit Log"));
    await waitFor(() => expect(done).toHaveBeenCalledWith("own-1"));
    expect(sent.at(-1)?.body).toEqual({ config: "studio", name: "Pit Log" });
  });
});

const MAIN = {
  key: "rec709",
  name: "Rec.709",
  stage: { kind: "output", display: "rec709", tone: TONE, compression: 0 },
} as unknown as Output;

function Editor({ onSeen }: { onSeen: (outputs: Output[]) => void }) {
  const [outputs, setOutputs] = useState([MAIN]);
  return (
    <Outputs
      outputs={outputs}
      onChange={(next) => {
        onSeen(next);
        setOutputs(next);
      }}
    />
  );
}

describe("the outputs", () => {
  it("are added, made the main one and removed", async () => {
    const seen = vi.fn();
    show(<Editor onSeen={seen} />);
    await screen.findByText("Rec.709, BT.1886");
    fireEvent.click(screen.getByText("+ output"));
    const added = seen.mock.lastCall?.[0][1];
    expect(added.stage).toMatchObject({ display: "rec2100-pq-1000", tone: HDR });
    fireEvent.click(screen.getByText("Make it the main one"));
    expect(seen.mock.lastCall?.[0].map((o: Output) => o.name)).toEqual(["Rec.2100 PQ", "Rec.709"]);
    fireEvent.click(screen.getByText("Remove"));
    expect(seen.mock.lastCall?.[0]).toHaveLength(1);
  });

  it("turn their dials in nits and stops, and have none under ACES", async () => {
    const seen = vi.fn();
    show(<Editor onSeen={seen} />);
    await screen.findByText("Rec.709, BT.1886");
    fireEvent.change(screen.getByLabelText("Middle grey at"), { target: { value: "15" } });
    expect(seen.mock.lastCall?.[0][0].stage.tone.grey).toBeCloseTo(0.15);
    fireEvent.change(screen.getByLabelText("Gamut compression"), { target: { value: "50" } });
    expect(seen.mock.lastCall?.[0][0].stage.compression).toBe(0.5);
    fireEvent.change(screen.getByLabelText("Rendering"), { target: { value: "2.0" } });
    expect(seen.mock.lastCall?.[0][0].stage).toEqual({
      kind: "output-aces",
      display: "rec709",
      version: "2.0",
      compression: 0.5,
    });
    expect(screen.queryByLabelText("Contrast")).toBeNull();
    expect(screen.getByText(/done by OpenColorIO/)).toBeTruthy();
  });
});
