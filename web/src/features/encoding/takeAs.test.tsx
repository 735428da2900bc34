import { fireEvent, screen, waitFor } from "@testing-library/react";
import { beforeEach, expect, it, vi } from "vitest";
import { show } from "@/test/show";
import { TakeAs } from "./TakeAs";

type Sent = { path: string; body: { scope: string } };
let sent: Sent[] = [];
let refused = false;

const MOVES: Record<string, unknown> = {
  clip: { clips: ["B003_01"], matches: [] },
  light: {
    clips: ["B003_01", "B003_02"],
    matches: [{ light: "Moulding hall", camera: "B", now: 3.97, after: 1.16, problem: "" }],
  },
  camera: {
    clips: ["B001_01", "B001_02", "B003_01", "B003_02", "B004_01"],
    matches: [
      { light: "Foundry", camera: "B", now: 0.97, after: 2.59, problem: "" },
      { light: "Yard", camera: "B", now: 0.9, after: null, problem: "Only 4 patches" },
    ],
  },
};

beforeEach(() => {
  sent = [];
  refused = false;
  vi.stubGlobal("fetch", async (request: Request) => {
    const path = new URL(request.url).pathname;
    const body = await request.json();
    if (path.endsWith("/preview")) return Response.json(MOVES[body.scope]);
    sent.push({ path, body });
    return refused
      ? Response.json({ code: "base.stale", detail: "It was changed.", hint: "" }, { status: 409 })
      : Response.json([]);
  });
});

function open(onClose = vi.fn(), onDone = vi.fn()) {
  show(
    <TakeAs
      clip={{ id: 9, name: "B003_01" }}
      encoding="s-log2/s-gamut3.cine"
      name="S-Log2 / S-Gamut3.Cine"
      levels="full"
      letter="B"
      light="Moulding hall"
      base={12}
      onClose={onClose}
      onDone={onDone}
    />,
  );
  return { onClose, onDone };
}

it("says for each scope which clips and which figures it moves, before anything is done", async () => {
  open();
  // Its like in this light, unless one says otherwise: never the camera everywhere.
  expect(await screen.findByText("B in Moulding hall")).toBeTruthy();
  expect(screen.getByText("3.97")).toBeTruthy();
  expect(screen.getByText("1.16")).toBeTruthy();
  fireEvent.click(screen.getByLabelText("camera B everywhere"));
  expect(await screen.findByText("B in Yard")).toBeTruthy();
  expect(screen.getByText("cannot be fitted").getAttribute("title")).toBe("Only 4 patches");
  expect(screen.getByText(/and 1 more/)).toBeTruthy();
  fireEvent.click(screen.getByLabelText("B003_01 only"));
  expect(await screen.findByText("No match stands on them.")).toBeTruthy();
  expect(sent).toHaveLength(0);
});

it("takes them so on the base that was seen, and closes", async () => {
  const { onClose, onDone } = open();
  fireEvent.click(await screen.findByText("Take them so"));
  await waitFor(() => expect(onClose).toHaveBeenCalled());
  expect(onDone).toHaveBeenCalled();
  expect(sent).toEqual([
    {
      path: "/api/clips/9/take-as",
      body: { encoding: "s-log2/s-gamut3.cine", levels: "full", scope: "light", base: 12 },
    },
  ]);
});

it("stays open with the server's words where it is refused", async () => {
  refused = true;
  const { onClose } = open();
  fireEvent.click(await screen.findByText("Take them so"));
  expect((await screen.findByRole("alert")).textContent).toContain("It was changed.");
  expect(onClose).not.toHaveBeenCalled();
});
