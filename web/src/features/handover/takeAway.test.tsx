import { fireEvent, screen, waitFor } from "@testing-library/react";
import { expect, it, vi } from "vitest";
import type { Export } from "@/api/client";
import { board, camera, cell, exported } from "@/test/fixtures";
import { show } from "@/test/show";
import { TakeAwayPage } from "./TakeAwayPage";

const CELLS = [
  cell({ camera_id: 1, state: "reference", delta_e: null, match_number: null }),
  cell({ camera_id: 2 }),
];

const VARIANTS = [
  {
    clip_id: 9,
    clips: ["B003_01", "B003_02"],
    encoding_name: "S-Log2 / S-Gamut",
    levels: "full",
    scene: "",
  },
];
const sent: Record<string, unknown>[] = [];
const ANGLE = "/p/1/take-away?light=1&camera=2";

/** Stand in for the server: answers by the end of the address; POST may fail. */
function serve(
  exports: Export[],
  post?: { status: number; body: unknown },
  cells = CELLS,
  at = ANGLE,
) {
  const answer = (body: unknown, status = 200) =>
    new Response(JSON.stringify(body), { status, headers: { "Content-Type": "application/json" } });
  const fetch = vi.fn(async (request: Request) => {
    if (request.method === "POST") {
      sent.push(await request.clone().json());
      return answer(post?.body ?? exported(), post?.status ?? 201);
    }
    if (request.url.endsWith("/variants")) return answer(VARIANTS);
    if (request.url.endsWith("/jobs")) return answer([]);
    return answer(request.url.endsWith("/board") ? board(cells) : exports);
  });
  vi.stubGlobal("fetch", fetch);
  show(<TakeAwayPage />, at, "/p/:production/take-away");
}

it("offers what is matched, with its read-back in words and figures", async () => {
  serve([exported()]);
  expect(await screen.findByText(/Holds:/)).toBeTruthy();
  expect(screen.getByText("B_foundry_m1_to-reference_65.cube")).toBeTruthy();
  expect(screen.getByText("Download").closest("a")?.getAttribute("href")).toBe(
    "/api/exports/4/file",
  );
  expect(screen.getAllByText("0.040").length).toBeGreaterThan(0);
});

it("asks to look at a file that does not hold, and says what lies beyond the target", async () => {
  const bad = exported({ is_current: false });
  bad.read_back.share_outside = 0.031;
  bad.read_back.share_beyond = 0.012;
  bad.read_back.cost = 0.08;
  for (const d of bad.read_back.differences) d.p99_9 = 2.4;
  serve([bad]);
  expect(await screen.findByText(/Look at it:/)).toBeTruthy();
  expect(screen.getByText(/3.1 % of the pixels lie beyond/)).toBeTruthy();
  expect(screen.getByText(/1.2 % of its pixels lie beyond 0 to 1/)).toBeTruthy();
  expect(screen.getByText(/adds about 0.08 ΔE to the match/)).toBeTruthy();
  expect(screen.getByText(/no longer the one in force/)).toBeTruthy();
});

it("shows the server's words when a LUT cannot be made", async () => {
  serve([], {
    status: 422,
    body: { code: "export.no_match", detail: "B has no match.", hint: "Fit first." },
  });
  fireEvent.click(await screen.findByText("Make the LUT"));
  await waitFor(() =>
    expect(screen.getByRole("alert").textContent).toContain("B has no match.Fit first."),
  );
});

it("makes a LUT for the clips that carry something else than their camera", async () => {
  serve([exported({ clip_name: "B003_01" })]);
  expect(await screen.findByText(/for clips as B003_01/)).toBeTruthy();
  fireEvent.change(await screen.findByLabelText("Which clips"), { target: { value: "9" } });
  expect(screen.getByText(/From its stored code values/).textContent).toContain("S-Log2");
  fireEvent.click(screen.getByText("Make the LUT"));
  await waitFor(() => expect(sent.at(-1)).toMatchObject({ clip_id: 9, target: "reference" }));
});

it("says of a borrowed match that it is borrowed, not a figure that nobody measured", async () => {
  const borrowed = { state: "borrowed", delta_e: null, match_number: 1 } as const;
  serve([], undefined, [CELLS[0] ?? cell(), cell({ camera_id: 2, ...borrowed })]);
  expect(await screen.findByText(/match 1, borrowed$/)).toBeTruthy();
});

it("leads to the Board when nothing is matched", async () => {
  const cells = [cell({ camera_id: 2, match_number: null, state: "not_measured", delta_e: null })];
  serve([], undefined, cells, "/p/1/take-away");
  expect(await screen.findByText("Nothing is matched yet.")).toBeTruthy();
  expect(screen.getByText("To the Board").getAttribute("href")).toBe("/p/1");
});

it("takes many away at once: what is in tune by default, the others with why not", async () => {
  const cells = [
    cell({ camera_id: 1, state: "reference", delta_e: null, match_number: null }),
    cell({ camera_id: 2 }),
    cell({ camera_id: 3, state: "close", reason: "6.2 % of the picture is clipped" }),
    cell({ camera_id: 4, state: "not_measured", delta_e: null, match_number: null }),
  ];
  const whole = board(cells);
  for (const [id, letter] of [
    [3, "C"],
    [4, "D"],
  ] as const)
    whole.cameras.push(camera({ id, letter, name: letter, is_reference: false }));
  const fetch = vi.fn(async (request: Request) => {
    if (request.method === "POST") sent.push(await request.clone().json());
    return Response.json(request.url.endsWith("/board") ? whole : []);
  });
  vi.stubGlobal("fetch", fetch);
  sent.length = 0;
  show(<TakeAwayPage />, "/p/1/take-away", "/p/:production/take-away");
  expect(await screen.findByText("1 of 2 matched angles")).toBeTruthy();
  expect(screen.getByText("6.2 % of the picture is clipped")).toBeTruthy();
  expect(screen.getByLabelText("D in Foundry").hasAttribute("disabled")).toBe(true);
  fireEvent.click(screen.getByText("All matched"));
  fireEvent.click(screen.getByText("CLF"));
  fireEvent.click(screen.getByText("Make 4 files"));
  await waitFor(() => expect(sent).toHaveLength(1));
  expect(sent[0]).toMatchObject({
    cells: [
      { light_id: 1, camera_id: 2 },
      { light_id: 1, camera_id: 3 },
    ],
    targets: ["reference"],
    formats: ["cube", "clf"],
  });
  sessionStorage.clear();
});
