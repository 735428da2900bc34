import { screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Board, Cell, Job } from "@/api/client";
import { board, camera, cell, light } from "@/test/fixtures";
import { show } from "@/test/show";
import { WorkList, wordsOf, workOf } from "./WorkList";

const DOUBT = {
  clip_id: 3,
  clip: "B003_01",
  text: "Its chart speaks for S-Log2 at full levels.",
  encoding: "s-log2/s-gamut3.cine",
  encoding_name: "S-Log2 / S-Gamut3.Cine",
  levels: "full",
};

function job(outcomes: { light_id: number; camera_id: number; outcome: string; text: string }[]) {
  return {
    id: 1,
    kind: "match-angles",
    state: "done",
    title: "",
    arguments: {},
    progress: 1,
    step: "",
    is_cancel_asked: false,
    problem: null,
    result: { angles: outcomes },
    created: "2026-11-29T10:00:00Z",
    ended: "2026-11-29T10:01:00Z",
  } as unknown as Job;
}

function whole(cells: Cell[]): Board {
  return {
    ...board(cells),
    cameras: ["A", "B", "C", "D"].map((letter, i) =>
      camera({ id: i + 1, letter, name: letter, is_reference: letter === "A" }),
    ),
    lights: [light()],
  };
}

describe("what is left to do", () => {
  it.each([
    ["in tune", cell(), ""],
    ["no clip", cell({ state: "not_measured", next_step: "bring_in" }), ""],
    ["a reference", cell({ state: "reference" }), ""],
    [
      "a reference without a reading",
      cell({ state: "reference", next_step: "read_chart" }),
      "read its chart",
    ],
    ["far", cell({ state: "off", delta_e: 4.2 }), "4.20 ΔE off the chart"],
    [
      "clipped",
      cell({ state: "close", reason: "6.2 % of the picture is clipped", is_clipped: true }),
      "6.2 % of the picture is clipped",
    ],
    [
      "doubtful, whatever else",
      cell({ state: "stale", next_step: "fit_again", doubt: DOUBT }),
      "B003_01 may be something else. Its chart speaks for S-Log2 at full levels.",
    ],
    [
      "decoded otherwise than its chart",
      cell({ state: "off", next_step: "take_alike", reason: "the chart was read as V-Log" }),
      "the chart was read as V-Log",
    ],
    [
      "without a chart clip",
      cell({ state: "not_measured", next_step: "bring_chart" }),
      "no chart clip here: match from the picture, bring one in, or borrow from another light",
    ],
  ] as const)("says of %s", (_, one, words) => {
    expect(wordsOf(one)).toBe(words);
  });

  it("lists every cell that is not in tune, the furthest first, with why a job left it", () => {
    const cells = [
      cell({ camera_id: 1, state: "reference", delta_e: null }),
      cell({ camera_id: 2, state: "close", delta_e: 1.5 }),
      cell({ camera_id: 3, state: "off", delta_e: 5 }),
      cell({ camera_id: 4, state: "not_measured", delta_e: null, next_step: "read_chart" }),
    ];
    const jobs = [
      job([{ light_id: 1, camera_id: 4, outcome: "asked", text: "It may be upside down." }]),
      job([{ light_id: 1, camera_id: 3, outcome: "failed", text: "an older story" }]),
    ];
    const work = workOf(whole(cells), jobs);
    expect(work.map((w) => w.place)).toEqual(["D in Foundry", "C in Foundry", "B in Foundry"]);
    // What was tried and left alone says why; what was matched since says its own figure.
    expect(work.map((w) => w.text)).toEqual([
      "It may be upside down.",
      "5.00 ΔE off the chart",
      "1.50 ΔE off the chart",
    ]);
  });

  it("leads to the mark where the picture is clipped, and to the Chart otherwise", () => {
    const cells = [
      cell({
        camera_id: 2,
        state: "close",
        reason: "6.2 % of the picture is clipped",
        is_clipped: true,
      }),
      cell({ camera_id: 3, state: "off", delta_e: 5, doubt: { ...DOUBT, clip: "C001_01" } }),
    ];
    show(<WorkList work={workOf(whole(cells), [])} />);
    const [first, second] = screen.getAllByRole("link");
    expect(first?.getAttribute("href")).toBe("/p/1/l/1/c/3/chart");
    expect(second?.getAttribute("href")).toBe("/p/1/l/1/c/2/bench?mark=clipped");
  });
});
