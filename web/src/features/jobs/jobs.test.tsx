import { useQuery } from "@tanstack/react-query";
import { screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Job } from "@/api/client";
import { boardQuery } from "@/api/queries";
import { light } from "@/test/fixtures";
import { show } from "@/test/show";
import { JobsMark } from "./JobsMark";
import { MatchAll } from "./MatchAll";

const job = (changes: Partial<Job>): Job => ({
  id: 7,
  kind: "match-angles",
  title: "Match every angle in Pit",
  arguments: { light_id: 1 },
  state: "running",
  progress: 0.4,
  step: "Reading B001_01",
  is_cancel_asked: false,
  result: null,
  problem: null,
  created: "2026-11-26T08:00:00Z",
  ...changes,
});

function answer(jobs: Job[]) {
  const calls: string[] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    calls.push(`${request.method} ${new URL(request.url).pathname}`);
    return Response.json(request.method === "GET" ? jobs : jobs[0]);
  });
  return calls;
}

const Board = () => <p>{useQuery(boardQuery(1)).fetchStatus}</p>;

afterEach(() => vi.unstubAllGlobals());

describe("a job", () => {
  it("says what it does and how far it is, and can be stopped", async () => {
    const calls = answer([job({})]);
    show(<JobsMark production={1} />);
    expect(await screen.findByText("Reading B001_01")).toBeTruthy();
    expect(screen.getByRole("progressbar").getAttribute("value")).toBe("40");
    screen.getByRole("button", { name: /Stop/ }).click();
    await vi.waitFor(() => expect(calls).toContain("POST /api/jobs/7/cancel"));
  });

  it("shows on the Board what came of each camera before the whole light is done", async () => {
    const running = [job({ step: "Fitting B Birch" })];
    const calls = answer(running);
    show([<JobsMark key="mark" production={1} />, <Board key="board" />]);
    await screen.findByText("Fitting B Birch");
    await screen.findByText("idle");
    const before = calls.filter((call) => call.endsWith("/board")).length;
    running[0] = job({ step: "Looking for the chart in C001_01" });
    await screen.findByText("Looking for the chart in C001_01");
    await vi.waitFor(() =>
      expect(calls.filter((call) => call.endsWith("/board"))).toHaveLength(before + 1),
    );
  });

  it("leaves to a person what it could not do, and nothing else", async () => {
    const angles = [
      { camera_id: 2, camera: "B Birch", outcome: "asked", text: "look at it", expected: null },
      { camera_id: 3, camera: "C Cedar", outcome: "matched", text: "match 1", expected: 0.9 },
    ];
    answer([job({ state: "done", result: { angles } })]);
    show(<MatchAll production={1} light={light({ id: 1 })} isOffered />);
    const row = await screen.findByRole("link");
    expect(row.textContent).toBe("B Birch: look at it");
    expect(row.getAttribute("href")).toBe("/p/1/l/1/c/2/chart");
    expect(screen.getByRole("button").hasAttribute("disabled")).toBe(false);
  });

  it("says why it failed and what to do", async () => {
    const problem = { code: "x", detail: "The disc is full.", hint: "Make room." };
    answer([job({ state: "failed", problem })]);
    show(<MatchAll production={1} light={light({ id: 1 })} isOffered />);
    expect((await screen.findByRole("alert")).textContent).toContain("Make room.");
  });
});
