import { act, fireEvent, screen, waitFor } from "@testing-library/react";
import { createRef } from "react";
import { describe, expect, it, vi } from "vitest";
import { angle, layout, reading } from "@/test/fixtures";
import { show } from "@/test/show";
import { ChartPicture, type ChartPictureHandle } from "./ChartPicture";

const FOUND = {
  corners: [
    [240, 205],
    [415, 205],
    [415, 307],
    [240, 307],
  ],
  orientation_certain: true,
  score: 0.99,
  turned_score: 0.48,
  others: [],
};

type Sent = {
  path: string;
  body: { corners?: number[][]; found_by?: string; others?: number[][][] };
};

/** Stand in for the server: a search, and a reading; notes what is sent. */
function serve(found: unknown, status = 200): Sent[] {
  const sent: Sent[] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    const path = new URL(request.url).pathname;
    sent.push({ path, body: await request.json() });
    const isFind = path.endsWith("/find");
    return new Response(JSON.stringify(isFind ? found : reading()), {
      status: isFind ? status : 201,
      headers: { "Content-Type": "application/json" },
    });
  });
  return sent;
}

const unread = () => ({ ...angle().angle, reading: null });

describe("a chart's picture", () => {
  it("reads a chart that was found for sure, without a further question", async () => {
    const sent = serve(FOUND);
    show(<ChartPicture production={1} side={unread()} lightId={1} layout={layout()} />);
    expect(screen.getByText(/not read yet/)).toBeTruthy();
    fireEvent.click(screen.getByText("Find"));
    await waitFor(() => expect(sent).toHaveLength(2));
    expect(sent[1]?.path).toBe("/api/clips/3/readings");
    expect(sent[1]?.body).toMatchObject({ corners: FOUND.corners, found_by: "search" });
  });

  it("asks which way up an uncertain one is, and reads it when told", async () => {
    const sent = serve({ ...FOUND, orientation_certain: false });
    show(<ChartPicture production={1} side={unread()} lightId={1} layout={layout()} />);
    fireEvent.click(screen.getByText("Find"));
    expect(await screen.findByText(/not which way up it is/)).toBeTruthy();
    expect(sent).toHaveLength(1);
    fireEvent.click(screen.getByText("Turn ¼"));
    fireEvent.click(screen.getByText("Turn ¼"));
    fireEvent.click(screen.getByText("Read"));
    await waitFor(() => expect(sent).toHaveLength(2));
    const corners = sent[1]?.body.corners ?? [];
    for (const [i, [x, y]] of [2, 3, 0, 1].map((k) => FOUND.corners[k] ?? []).entries()) {
      expect(corners[i]?.[0]).toBeCloseTo(x ?? Number.NaN, 6);
      expect(corners[i]?.[1]).toBeCloseTo(y ?? Number.NaN, 6);
    }
    expect(sent[1]?.body.found_by).toBe("hand");
  });

  it("reads the other charts of the frame along where that is asked", async () => {
    const second = FOUND.corners.map(([x, y]) => [(x ?? 0) + 300, y]);
    const other = { corners: second, orientation_certain: true };
    const sent = serve({ ...FOUND, orientation_certain: true, others: [other] });
    show(<ChartPicture production={1} side={unread()} lightId={1} layout={layout()} />);
    fireEvent.click(screen.getByText("Find every chart"));
    // The other one is outlined: what "all" means is seen.
    expect(await screen.findAllByTestId("chart-beside")).toHaveLength(1);
    fireEvent.click(await screen.findByText("Read all 2"));
    await waitFor(() => expect(sent).toHaveLength(2));
    expect(sent[1]?.body).toMatchObject({ corners: FOUND.corners, others: [second] });
  });

  it("says what to do where none is found, and lets one place it by hand and undo", async () => {
    serve({ code: "chart.not_found", detail: "No chart.", hint: "Place its corners." }, 422);
    show(<ChartPicture production={1} side={unread()} lightId={1} layout={layout()} />);
    fireEvent.click(screen.getByText("Find"));
    expect((await screen.findByRole("alert")).textContent).toContain("No chart.Place its corners.");
    fireEvent.click(screen.getByText("By hand"));
    expect(screen.getByText(/grid moved, not read yet/)).toBeTruthy();
    fireEvent.click(screen.getByText("Undo"));
    expect(screen.getByText(/not read yet/)).toBeTruthy();
    expect(screen.queryByTestId("chart-grid")).toBeNull();
  });

  it("is searched from outside by its handle, once at a time", async () => {
    const sent = serve(FOUND);
    const handle = createRef<ChartPictureHandle>();
    show(
      <ChartPicture production={1} side={unread()} lightId={1} layout={layout()} ref={handle} />,
    );
    act(() => handle.current?.find());
    act(() => handle.current?.find());
    await waitFor(() => expect(sent).toHaveLength(2));
    expect(sent.filter((s) => s.path.endsWith("/find"))).toHaveLength(1);
  });

  it("says that there is no clip where there is none", () => {
    show(
      <ChartPicture
        production={1}
        side={{ ...unread(), clips: [] }}
        lightId={1}
        layout={layout()}
      />,
    );
    expect(screen.getByText(/no clip in this light/)).toBeTruthy();
  });
});
