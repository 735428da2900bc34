import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render, screen } from "@testing-library/react";
import { expect, it, vi } from "vitest";
import { angle } from "@/test/fixtures";
import { EncodingCheck } from "./EncodingCheck";

const candidate = (encoding: string, levels: string, log_odds: number, cost: number | null) => ({
  encoding,
  name: encoding.toUpperCase(),
  levels,
  log_odds,
  slope: 1,
  bend: 0.04,
  noise: 0,
  cost,
  cost_dark: cost === null ? null : -0.08,
  cost_bright: cost === null ? null : 0.03,
});

function open(body: unknown) {
  vi.stubGlobal(
    "fetch",
    vi.fn(async () => Response.json({ check: body, job: null })),
  );
  HTMLDialogElement.prototype.showModal = vi.fn();
  HTMLDialogElement.prototype.close = vi.fn();
  render(
    <QueryClientProvider client={new QueryClient()}>
      <EncodingCheck angle={angle()} onClose={vi.fn()} />
    </QueryClientProvider>,
  );
}

it("names what fits better, what it would cost, and why the stated one is doubted", async () => {
  const stated = candidate("d-log/d-gamut", "full", -40, null);
  const better = candidate("v-log/v-gamut", "legal", 0, 7.8);
  open({
    verdict: "doubtful",
    stated,
    alike: [better],
    candidates: [better, stated],
    causes: ["curve: V-LOG/V-GAMUT, legal levels", "flare: 5.0% of white"],
  });
  expect(await screen.findByText(/speak against what is stated/)).toBeTruthy();
  expect(screen.getByText(/Possible causes: curve: V-LOG.*; flare: 5.0%/)).toBeTruthy();
  const row = screen.getByText("V-LOG/V-GAMUT").closest("tr");
  expect(row?.textContent).toContain("likeliest");
  expect(row?.textContent).toContain("7.80");
  expect(screen.getByText("stated").closest("tr")?.textContent).toContain("no");
});

it("says that it cannot tell when it cannot", async () => {
  const stated = candidate("v-log/v-gamut", "legal", 0, 0);
  open({
    verdict: "cannot tell",
    stated,
    alike: [stated, candidate("f-log2/f-gamut", "legal", -3, 1.2)],
    candidates: [stated],
    causes: [],
  });
  expect(await screen.findByText(/The charts cannot tell/)).toBeTruthy();
  expect(screen.getByText("1 to 20")).toBeTruthy();
});
