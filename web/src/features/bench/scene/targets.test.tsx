import { act, fireEvent, screen } from "@testing-library/react";
import { afterEach, describe, expect, it, vi } from "vitest";
import type { Schemas } from "@/api/client";
import { show } from "@/test/show";
import { Targets } from "./Targets";
import type { Scene } from "./useScene";

const pin = (more: Partial<Schemas["PinOut"]> = {}): Schemas["PinOut"] => ({
  id: 4,
  uuid: "u",
  number: 1,
  name: "yesterday",
  clip_id: null,
  frame: 0,
  file_name: "yesterday.png",
  has_profile: true,
  profile_name: "P3 screen",
  taken_as: "profile",
  levels: "full",
  taken_words: "its ICC profile, P3 screen",
  ...more,
});

const scene = (more: Partial<Scene>) => ({ aim: vi.fn(), ...more }) as unknown as Scene;

function answer() {
  const calls: [string, string, unknown][] = [];
  vi.stubGlobal("fetch", async (request: Request) => {
    const path = new URL(request.url).pathname;
    const kind = request.headers.get("Content-Type") ?? "";
    calls.push([request.method, path, kind.includes("json") ? await request.json() : kind]);
    if (request.method !== "GET") return Response.json(pin({ id: 5, clip_id: 1 }));
    if (path.endsWith("/pins")) return Response.json([pin()]);
    return Response.json(path.endsWith("film-densities") ? { adx10: "ADX10" } : []);
  });
  return calls;
}

const targets = (shown: Scene) => (
  <Targets
    production={1}
    clips={[{ id: 1 }, { id: 2 }]}
    frame={7}
    reference="A Alder"
    scene={shown}
  />
);

afterEach(() => vi.unstubAllGlobals());

describe("what an angle is matched to", () => {
  it("is the reference, a frame that is pinned, or a still that is brought in", async () => {
    const calls = answer();
    const shown = scene({});
    show(targets(shown));
    const select = await screen.findByRole("combobox", { name: "Match to" });
    await screen.findByText("yesterday");
    fireEvent.change(select, { target: { value: "4" } });
    expect(shown.aim).toHaveBeenCalledWith(4);
    act(() => screen.getByRole("button", { name: "Pin this frame" }).click());
    await vi.waitFor(() => expect(shown.aim).toHaveBeenCalledWith(5));
    const body = { clip_id: 1, frame: 7, name: "" };
    expect(calls).toContainEqual(["POST", "/api/productions/1/pins", body]);
    const still = new File(["x"], "a.png");
    fireEvent.change(screen.getByLabelText("A still to match to"), { target: { files: [still] } });
    await vi.waitFor(() =>
      expect(calls.some(([, path, sent]) => path.endsWith("/stills") && sent !== "")).toBe(true),
    );
  });

  it("says what a still is taken as, and takes it otherwise or out", async () => {
    const calls = answer();
    const shown = scene({ pin: pin() });
    show(targets(shown));
    const taken = await screen.findByRole("combobox", { name: "yesterday is taken as" });
    expect((taken as HTMLSelectElement).value).toBe("profile");
    await screen.findByText("ADX10");
    fireEvent.change(taken, { target: { value: "adx10" } });
    await vi.waitFor(() =>
      expect(calls).toContainEqual(["PATCH", "/api/pins/4", { taken_as: "adx10" }]),
    );
    act(() => screen.getByRole("button", { name: /Take yesterday out/ }).click());
    await vi.waitFor(() => expect(shown.aim).toHaveBeenCalledWith(null));
  });
});
