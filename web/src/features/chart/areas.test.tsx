import { fireEvent, screen, waitFor } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { AreaOverlay, between } from "@/shared/AreaOverlay";
import { type Area, choiceOf, fitBody, plainChoice, withArea } from "@/shared/fitChoice";
import { angle, clip, layout, match, reading, residuals } from "@/test/fixtures";
import { show } from "@/test/show";
import { Bracket } from "./Bracket";
import { FitPanel } from "./FitPanel";
import { LayoutChoice } from "./LayoutChoice";
import { Beside, Target } from "./Target";

const area = (x: number): Area => ({ clip_id: 3, x, y: 0.1, width: 0.1, height: 0.1 });

describe("what the next fit is to do", () => {
  it("pairs areas in the order in which they are drawn, whichever side comes first", () => {
    let areas = withArea([], "angle", area(0.1));
    areas = withArea(areas, "angle", area(0.2));
    areas = withArea(areas, "reference", area(0.3));
    expect(areas).toHaveLength(2);
    expect(areas[0]).toMatchObject({ angle: area(0.1), reference: area(0.3) });
    expect(areas[1]?.reference).toBeNull();
    // Half a pair is not sent.
    expect(fitBody({ ...plainChoice, areas }, angle()).areas).toHaveLength(1);
  });

  it("begins with what the match in force was made with", () => {
    const made = match({
      asked: "roots",
      pool: true,
      weights: [4, 4, 2.5].map((weight, k) => ({ patch: [1, 2, 9][k] ?? 0, weight })),
      residuals: residuals({ 5: { left_out: "by hand" }, 6: { left_out: "clipped" } }),
    });
    const choice = choiceOf(angle({ match: made }));
    expect(choice).toMatchObject({
      model: "roots",
      pool: true,
      skins: true,
      marked: [9],
      leaveOut: [5],
    });
    // Weights are kept as they are; one that is marked anew counts four.
    const sent = fitBody({ ...choice, marked: [9, 12] }, angle()).weights;
    expect(Object.fromEntries(sent.map((w) => [w.patch, w.weight]))).toEqual({
      1: 4,
      2: 4,
      9: 2.5,
      12: 4,
    });
    // One skin alone is a marked patch like any other.
    const one = choiceOf(angle({ match: match({ weights: [{ patch: 2, weight: 3 }] }) }));
    expect(one).toMatchObject({ skins: false, marked: [2] });
  });

  it("does not take anything over from a borrowed match, and pools only to the reference", () => {
    const borrowed = { kind: "nearest", source: "Night", why: "beside it" };
    expect(choiceOf(angle({ match: match({ borrowed, pool: true }) }))).toEqual(plainChoice);
    expect(fitBody({ ...plainChoice, pool: true, values: "published" }, angle()).pool).toBe(false);
  });
});

describe("areas", () => {
  it("are drawn by dragging, any way, and a click draws none", () => {
    const onArea = vi.fn();
    show(<AreaOverlay clip={clip()} areas={[]} isDrawing zoom={1} onArea={onArea} />);
    const svg = screen.getByTestId("areas");
    vi.spyOn(svg, "getBoundingClientRect").mockReturnValue(new DOMRect(0, 0, 480, 270));
    fireEvent.pointerDown(svg, { clientX: 96, clientY: 54, pointerId: 1 });
    fireEvent.pointerUp(svg, { clientX: 96, clientY: 54, pointerId: 1 });
    expect(onArea).not.toHaveBeenCalled();
    expect(between(3, [0.4, 0.5], [0.2, 0.3])).toMatchObject({ clip_id: 3, x: 0.2, y: 0.3 });
  });

  it("are listed with what they miss, weighed and removed", () => {
    const onChoice = vi.fn();
    const areas = [{ reference: area(0.1), angle: area(0.1), weight: 1 }];
    const data = angle({ match: match({ areas, area_misses: [6.2] }) });
    show(<Beside angle={data} choice={{ ...plainChoice, areas }} onChoice={onChoice} />);
    expect(screen.getByText("6.2")).toBeTruthy();
    fireEvent.click(screen.getByText("×1"));
    expect(onChoice.mock.lastCall?.[0].areas[0].weight).toBe(4);
    fireEvent.click(screen.getByLabelText("Remove area 1"));
    expect(onChoice.mock.lastCall?.[0].areas).toEqual([]);
  });
});

it("brings the angle to published values where the chart has some", () => {
  const onChoice = vi.fn();
  const { rerender } = show(<Target angle={angle()} choice={plainChoice} onChoice={onChoice} />);
  fireEvent.change(screen.getByLabelText("Match to"), { target: { value: "published" } });
  expect(onChoice).toHaveBeenCalledWith({ ...plainChoice, values: "published" });
  const bare = angle();
  bare.angle.reading = reading({ layout: layout({ has_values: false }) });
  rerender(<Target angle={bare} choice={plainChoice} onChoice={onChoice} />);
  expect(screen.getByText<HTMLOptionElement>("its published values").disabled).toBe(true);
});

it("says of a borrowed match where it comes from, and offers no residuals", () => {
  vi.stubGlobal("fetch", async () => Response.json([]));
  const borrowed = { kind: "nearest", source: "Night", why: "next to it on the Board" };
  const data = angle({ match: match({ borrowed, expected: 4.3 }) });
  data.angle.reading = null;
  show(
    <FitPanel
      angle={data}
      busy={false}
      error={null}
      canFit={false}
      choice={plainChoice}
      onChoice={vi.fn()}
      onFit={vi.fn()}
    />,
  );
  expect(screen.getByText(/Borrowed from Night: about 4.3/)).toBeTruthy();
  expect(screen.queryByTestId("residuals")).toBeNull();
});

it("takes another chart, and says in the server's words why a layout file is none", async () => {
  const data = angle({ layouts: [layout(), layout({ slug: "grid-140", name: "140 patches" })] });
  const onLayout = vi.fn();
  vi.stubGlobal("fetch", async () =>
    Response.json(
      { code: "layout.invalid", detail: "rows is 99.", hint: "Give 1 to 15." },
      { status: 422 },
    ),
  );
  show(<LayoutChoice angle={data} layout={layout()} onLayout={onLayout} />);
  fireEvent.change(screen.getByLabelText("Chart of"), { target: { value: "grid-140" } });
  expect(onLayout).toHaveBeenCalledWith(expect.objectContaining({ slug: "grid-140" }));
  const file = new File(["rows = 99"], "card.toml");
  Object.defineProperty(file, "text", { value: async () => "rows = 99" });
  fireEvent.change(screen.getByLabelText("Layout file"), { target: { files: [file] } });
  expect((await screen.findByRole("alert")).textContent).toContain("rows is 99.Give 1 to 15.");
});

it("reads a bracket as one, finding the charts that were not read yet", async () => {
  HTMLDialogElement.prototype.showModal = vi.fn();
  HTMLDialogElement.prototype.close = vi.fn();
  const sent: { path: string; body: Record<string, unknown> }[] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    const path = new URL(request.url).pathname;
    sent.push({ path, body: await request.json() });
    if (path.endsWith("/find"))
      return Response.json({ corners: [], orientation_certain: true, others: [] });
    const told = { reading: 8, clip: "B001_03", stated: 2, stops: 1.98, bend: 0.003 };
    const notes = { ...reading().notes, bracket: [told], rescued: [19] };
    return Response.json(reading({ id: 9, notes }), { status: 201 });
  });
  const side = {
    ...angle().angle,
    clips: [clip({ id: 3 }), clip({ id: 4, name: "B001_03" })].map((c) => ({
      ...c,
      stand: c.name,
    })),
    clip_readings: [{ clip_id: 3, reading_id: 7, layout: "chart-24" }],
  };
  show(<Bracket side={side} lightId={1} layout={layout()} onClose={vi.fn()} />);
  fireEvent.change(screen.getByLabelText("Stops of B001_03"), { target: { value: "2" } });
  fireEvent.click(screen.getByText("Read as one"));
  expect(await screen.findByText("+1.98")).toBeTruthy();
  await waitFor(() => expect(screen.getByText(/Patch 19 is told/)).toBeTruthy());
  expect(sent.map((s) => s.path.split("/").at(-1))).toEqual(["find", "readings", "merge"]);
  expect(sent[2]?.body).toEqual({
    parts: [
      { reading_id: 7, stops: 0 },
      { reading_id: 9, stops: 2 },
    ],
  });
});
