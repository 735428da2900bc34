import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { fireEvent, render, screen } from "@testing-library/react";
import type { ReactNode } from "react";
import { expect, it, vi } from "vitest";
import { type FitChoice, plainChoice } from "@/shared/fitChoice";
import { angle } from "@/test/fixtures";
import { CameraMenu } from "./CameraMenu";
import { ShootingSheet } from "./ShootingSheet";
import { WouldChange } from "./WouldChange";

/** Show a sheet whose server answers with these bodies in turn, the last for ever. */
function show(sheet: ReactNode, ...answers: [number, unknown][]) {
  const asked: Request[] = [];
  vi.stubGlobal(
    "fetch",
    vi.fn(async (request: Request) => {
      asked.push(request.clone());
      const [status, body] = answers[Math.min(asked.length, answers.length) - 1] ?? [500, {}];
      return Response.json(body, { status });
    }),
  );
  HTMLDialogElement.prototype.showModal = vi.fn();
  HTMLDialogElement.prototype.close = vi.fn();
  render(<QueryClientProvider client={new QueryClient()}>{sheet}</QueryClientProvider>);
  return asked;
}

const menu = (settings: Record<string, number>) => ({
  exact: Object.fromEntries(Object.entries(settings).map(([k, v]) => [k, v / 100])),
  settings,
  rounding: 0.06,
  left: 0.66,
  level: 104,
  phase: -3,
});
const VALUES = { "R-G": 24, "R-B": -6, "G-R": 17, "G-B": 20, "B-R": -16, "B-G": 36 };

it("gives six values for the camera's menu and what rounding costs", async () => {
  show(<CameraMenu angle={angle()} onClose={vi.fn()} />, [200, menu(VALUES)]);
  expect(await screen.findByText("+24")).toBeTruthy();
  expect(screen.getByText("R-B").closest("td")?.textContent).toContain("−6");
  expect(screen.getByText("0.06").closest("p")?.textContent).toContain("0.66 from the full match");
});

it("asks again for another step, range or sign", async () => {
  const turned = menu(Object.fromEntries(Object.entries(VALUES).map(([k, v]) => [k, -v])));
  const asked = show(
    <CameraMenu angle={angle()} onClose={vi.fn()} />,
    [200, menu(VALUES)],
    [200, turned],
  );
  await screen.findByText("+24");
  fireEvent.click(screen.getByLabelText("the menu subtracts"));
  expect(await screen.findByText("−24")).toBeTruthy();
  expect(new URL(asked[1]?.url ?? "").searchParams.get("sign")).toBe("-1");
  fireEvent.click(screen.getByLabelText("level and phase too"));
  expect(await screen.findByText("104 %")).toBeTruthy();
  expect(screen.getByText("−3°")).toBeTruthy();
  // An empty field is no number: nothing is asked for it.
  fireEvent.change(screen.getByLabelText("one step adds"), { target: { value: "" } });
  expect(asked.length).toBe(3);
});

it("says in the server's words why there are no values", async () => {
  show(<CameraMenu angle={angle()} onClose={vi.fn()} />, [
    422,
    { code: "menu.no_match", detail: "B has no match.", hint: "Fit first." },
  ]);
  expect(await screen.findByText("B has no match.")).toBeTruthy();
  expect(screen.getByText("Fit first.")).toBeTruthy();
});

const CHOICE: FitChoice = { ...plainChoice, model: "roots", leaveOut: [3], skins: true };
const change = {
  expected: 1.21,
  expected_now: 1.17,
  clips: [{ name: "C001_02", mean: 0.11, most: 0.44 }],
  files: ["C_foundry_m1_to-reference_65.cube"],
};

it("tells what another fit would change, and fits only when asked to", async () => {
  const [onFit, onClose] = [vi.fn(), vi.fn()];
  const asked = show(
    <WouldChange angle={angle()} choice={CHOICE} onFit={onFit} onClose={onClose} />,
    [200, change],
  );
  expect((await screen.findByText("1.21")).closest("p")?.textContent).toContain("instead of 1.17");
  expect(screen.getByText("C001_02").closest("tr")?.textContent).toContain("0.44");
  expect(screen.getByText(/no longer in force: C_foundry_m1/)).toBeTruthy();
  expect(await asked[0]?.json()).toMatchObject({
    model: "roots",
    leave_out: [3],
    weights: [
      { patch: 1, weight: 4 },
      { patch: 2, weight: 4 },
    ],
  });
  fireEvent.click(screen.getByText("Leave it"));
  expect(onFit).not.toHaveBeenCalled();
  fireEvent.click(screen.getByText("Fit again"));
  expect(onFit).toHaveBeenCalledOnce();
});

it("says so when no file has left yet", async () => {
  show(<WouldChange angle={angle()} choice={plainChoice} onFit={vi.fn()} onClose={vi.fn()} />, [
    200,
    { ...change, files: [] },
  ]);
  expect(await screen.findByText(/No file has left/)).toBeTruthy();
});

it("tells whoever shoots the chart what matters", () => {
  show(<ShootingSheet onClose={vi.fn()} />);
  for (const head of ["No glare", "Below clipping", "One place"])
    expect(screen.getByText(head)).toBeTruthy();
});
