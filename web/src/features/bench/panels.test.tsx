import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { useState } from "react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Over } from "@/api/client";
import { angle, clip } from "@/test/fixtures";
import { show } from "@/test/show";
import { BalancePanel, type Dials } from "./Balance";
import { type Candidate, Candidates } from "./Candidates";
import { LookPanel } from "./Look";
import { type LookStage, misfitOf } from "./lookSteps";

const LUT = {
  id: 1,
  name: "show.cube",
  sha256: "ab".repeat(32),
  kind: "3D",
  size: 33,
  clips_low: 0,
  clips_high: 0.16,
};
const OVER: Over = {
  balance: { number: 2, dials: { stops: 0.5, warmth: 0, tint: 0 }, stage: null, created: null },
  look: { number: 0, stage: null, created: null },
  exception: { number: 0, stage: null, created: null },
  scenes: [{ scene: "12", number: 3, stage: null, created: null }],
  luts: [LUT],
};
const ENCODINGS = ["v-log/v-gamut", "s-log3/s-gamut3.cine", "logc4/awg4", "linear/ap1"].map(
  (slug) => ({ slug, name: slug.toUpperCase(), kind: slug.split("/")[0] ?? "", source: "" }),
);

type Sent = { method: string; path: string; body: unknown };
let sent: Sent[] = [];

beforeEach(() => {
  sent = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    const path = new URL(request.url).pathname;
    if (request.method === "GET") return Response.json(ENCODINGS);
    sent.push({ method: request.method, path, body: await request.json() });
    if (path.endsWith("/preview")) return Response.json({ clips: ["B001_02"], matches: [] });
    return Response.json({}, { status: 201 });
  });
});

const LIGHT = { id: 4, name: "Pit" };

function Balance({ onSeen }: { onSeen: (dials: Dials | null) => void }) {
  const [dials, setDials] = useState<Dials | null>(null);
  return (
    <BalancePanel
      light={LIGHT}
      over={OVER}
      dials={dials}
      onDials={(next) => {
        onSeen(next);
        setDials(next);
      }}
    />
  );
}

describe("the balance", () => {
  it("starts from what is kept, follows the hand, and is kept on its base", async () => {
    const seen = vi.fn();
    show(<Balance onSeen={seen} />);
    expect(screen.getByLabelText("Exposure").getAttribute("aria-valuenow")).toBe("0.5");
    expect(screen.getByText("Keep for this light").hasAttribute("disabled")).toBe(true);
    for (let i = 0; i < 3; i++)
      fireEvent.keyDown(screen.getByLabelText("Warmth"), { key: "ArrowRight", ctrlKey: true });
    expect(seen).toHaveBeenLastCalledWith(expect.objectContaining({ stops: 0.5, warmth: 30 }));
    fireEvent.click(screen.getByText("Keep for this light"));
    await waitFor(() => expect(sent).toHaveLength(1));
    expect(sent[0]).toMatchObject({
      path: "/api/lights/4/balance",
      body: { stops: 0.5, warmth: 30, base_number: 2 },
    });
  });

  it("returns a dial to neutral, steps it by keys, and takes typed figures", () => {
    const seen = vi.fn();
    show(<Balance onSeen={seen} />);
    fireEvent.doubleClick(screen.getByLabelText("Exposure"));
    expect(seen).toHaveBeenLastCalledWith(expect.objectContaining({ stops: 0 }));
    const figure = () => screen.getByLabelText("Tint, value");
    fireEvent.keyDown(figure(), { key: "ArrowUp" });
    expect(seen).toHaveBeenLastCalledWith(expect.objectContaining({ tint: 0.2 }));
    fireEvent.change(figure(), { target: { value: "999" } });
    fireEvent.blur(figure());
    expect(seen).toHaveBeenLastCalledWith(expect.objectContaining({ tint: 40 }));
    fireEvent.keyDown(screen.getByLabelText("slope G"), { key: "ArrowDown", shiftKey: true });
    expect(seen.mock.lastCall?.[0].cdl.slope).toEqual([1, 0.998, 1]);
    fireEvent.click(screen.getByText("As kept"));
    expect(seen).toHaveBeenLastCalledWith(null);
  });
});

function Look({ onSeen }: { onSeen: (stage: LookStage | undefined) => void }) {
  const [stage, setStage] = useState<LookStage | undefined>(undefined);
  return (
    <LookPanel
      production={1}
      light={LIGHT}
      scene="12"
      reference={{ letter: "A", encoding: "logc3-ei800/awg3", levels: "full" }}
      over={OVER}
      stage={stage}
      clips={[0.031]}
      onStage={(next) => {
        onSeen(next);
        setStage(next);
      }}
    />
  );
}

describe("the look", () => {
  const steps = (seen: ReturnType<typeof vi.fn>) =>
    (seen.mock.lastCall?.[0] as LookStage | undefined)?.steps ?? [];

  it("keeps a LUT to a display at its end, and says what it clips of this picture", async () => {
    const seen = vi.fn();
    show(<Look onSeen={seen} />);
    fireEvent.change(screen.getByLabelText("A LUT that was brought in"), {
      target: { value: LUT.sha256 },
    });
    fireEvent.click(screen.getByLabelText(/it gives display values/));
    fireEvent.change(screen.getByLabelText("What the step works on"), {
      target: { value: "logc3-ei800/awg3 full" },
    });
    expect(screen.getByText(/clips the uppermost 16 %/).textContent).toContain(
      "3.1 % of the pixels",
    );
    fireEvent.click(screen.getByText("+ CDL"));
    expect(steps(seen).map((s) => s.kind)).toEqual(["cdl", "lut"]);
    expect(steps(seen)[1]).toMatchObject({ to: "rec709", encoding: "logc3-ei800/awg3" });
    fireEvent.click(screen.getByText("Keep for the production"));
    await waitFor(() => expect(sent[0]?.path).toBe("/api/productions/1/look"));
    expect(sent[0]?.body).toMatchObject({ base_number: 0, stage: { kind: "look" } });
  });

  it("orders, mixes, removes; and holds for one light alone where that is asked", async () => {
    const seen = vi.fn();
    show(<Look onSeen={seen} />);
    fireEvent.click(screen.getByText("+ CDL"));
    fireEvent.change(screen.getByLabelText("A LUT that was brought in"), {
      target: { value: LUT.sha256 },
    });
    fireEvent.change(screen.getByLabelText("Mix"), { target: { value: "40" } });
    expect(steps(seen)[1]?.mix).toBe(0.4);
    fireEvent.click(screen.getByLabelText("Earlier: step 2"));
    expect(steps(seen).map((s) => s.kind)).toEqual(["lut", "cdl"]);
    const list = screen.getByLabelText("Steps of the look");
    expect(within(list).getByText("40 %", { exact: false })).toBeTruthy();
    fireEvent.click(screen.getByLabelText("Remove step 1"));
    expect(steps(seen)).toHaveLength(1);
    const holds = screen.getByLabelText("What the look holds for");
    fireEvent.change(holds, { target: { value: "light" } });
    fireEvent.click(screen.getByText("Keep for this light"));
    await waitFor(() => expect(sent[0]?.path).toBe("/api/lights/4/look"));
  });
});

function Trying({ onSeen }: { onSeen: (candidate: Candidate | null) => void }) {
  const [tried, setTried] = useState<Candidate | null>(null);
  return (
    <Candidates
      angle={angle()}
      clip={clip({ kind: "scene" })}
      tried={tried}
      beside={false}
      onTry={(next) => {
        onSeen(next);
        setTried(next);
      }}
      onBeside={vi.fn()}
    />
  );
}

describe("candidates", () => {
  it("step by one key, what is stated first, and are taken by a step of their own", async () => {
    const seen = vi.fn();
    show(<Trying onSeen={seen} />);
    const options = await screen.findAllByRole("option");
    expect(options[0]?.textContent).toContain("as stated");
    expect(options).toHaveLength(3); // linear is no recording
    expect(screen.getByText(/Take it so/).hasAttribute("disabled")).toBe(true);
    fireEvent.keyDown(window, { key: "n" });
    expect(seen).toHaveBeenLastCalledWith({ encoding: "v-log/v-gamut", levels: "full" });
    fireEvent.keyDown(window, { key: "l" });
    expect(seen).toHaveBeenLastCalledWith({ encoding: "v-log/v-gamut", levels: "legal" });
    expect(sent).toHaveLength(0);
    // Of which clips it is said is asked first, with what it moves.
    fireEvent.click(screen.getByText(/Take it so/));
    fireEvent.click(await screen.findByText(/Take .* so$/));
    await waitFor(() => expect(sent.some((s) => s.path === "/api/clips/3/take-as")).toBe(true));
    expect(sent.find((s) => s.path === "/api/clips/3/take-as")).toMatchObject({
      method: "POST",
      body: { encoding: "v-log/v-gamut", levels: "legal", scope: "light" },
    });
  });
});

function look(
  onStage: (stage: LookStage | undefined) => void,
  beside: { clip: number; files: string[] } | null = null,
) {
  show(
    <LookPanel
      production={1}
      light={LIGHT}
      reference={{ letter: "A", encoding: "v-log/v-gamut", levels: "full" }}
      over={OVER}
      stage={undefined}
      clips={[]}
      beside={beside}
      onStage={onStage}
    />,
  );
}

describe("what came with a clip", () => {
  it("is listed in the look, and applied only when it is added", async () => {
    const staged = vi.fn();
    const asked: string[] = [];
    vi.stubGlobal("fetch", async (request: Request | string) => {
      const address = typeof request === "string" ? request : request.url;
      asked.push(address);
      if (address.includes("sidecar")) return new Response("LUT");
      return Response.json(LUT, { status: 201 });
    });
    look(staged, { clip: 9, files: ["card/B001_02.cube"] });
    expect(staged).not.toHaveBeenCalled();
    fireEvent.click(screen.getByText("+ B001_02.cube"));
    await waitFor(() => expect(staged).toHaveBeenCalled());
    expect(asked[0]).toContain("/api/clips/9/sidecar?name=B001_02.cube");
    expect(staged.mock.calls.at(-1)?.[0].steps).toEqual([
      expect.objectContaining({ kind: "lut", sha256: LUT.sha256 }),
    ]);
  });
});

it("lets a person choose from a collection of corrections", async () => {
  const staged = vi.fn();
  const cdl = { slope: [1, 1, 1], offset: [0, 0, 0], power: [1, 1, 1], saturation: 1, clamp: true };
  const rows = ["pit", "yard"].map((name, i) => ({
    name,
    description: "",
    cdl: { ...cdl, saturation: 1 + i },
  }));
  vi.stubGlobal("fetch", async () => Response.json(rows));
  look(staged);
  fireEvent.change(screen.getByLabelText("LUT or CDL file"), {
    target: { files: [new File(["x"], "day.ccc")] },
  });
  const choice = await screen.findByLabelText("Corrections of the collection");
  expect(staged).not.toHaveBeenCalled();
  fireEvent.change(choice, { target: { value: "1" } });
  expect(staged.mock.calls.at(-1)?.[0].steps[0].cdl.saturation).toBe(2);
});

it("says of a LUT when it makes of middle grey or of a stop what no look would", () => {
  expect(misfitOf([0.41, 0.12], true)).toBe("");
  expect(misfitOf([0.59, 0.25], true)).toMatch(/25 % of the signal out of one stop/);
  expect(misfitOf([0.9, 0.12], true)).toMatch(/90 % of the signal/);
  expect(misfitOf([-0.4, 1.2], false)).toBe("");
  expect(misfitOf([-3.2, 2.1], false)).toMatch(/3\.2 stops down, and makes 2\.1 stops/);
  expect(misfitOf(null, false)).toBe("");
});
