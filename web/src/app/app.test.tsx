import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { useLocation } from "react-router";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { board, camera, cell, light } from "@/test/fixtures";
import { show } from "@/test/show";
import { KEYS } from "./HelpDialog";
import { TopLine } from "./TopLine";
import { useAngleKeys } from "./useAngleKeys";

const BOARD = {
  ...board([cell()]),
  cameras: [
    camera({ id: 1, letter: "A", name: "Alder", is_reference: true }),
    camera(),
    camera({ id: 3, letter: "C", name: "Cedar" }),
  ],
  lights: [light(), light({ id: 2, name: "Yard" })],
};

function Here() {
  return <output aria-label="address">{useLocation().pathname}</output>;
}

function Angle({ page }: { page: "chart" | "bench" }) {
  useAngleKeys(1, 1, 2, page);
  return <Here />;
}

const address = () => screen.getByLabelText("address").textContent;

beforeEach(() => {
  vi.stubGlobal("fetch", async (request: Request) =>
    Response.json(request.url.endsWith("/jobs") ? [] : BOARD),
  );
});

describe("the top line", () => {
  const shown = () =>
    show(
      <>
        <TopLine production={1} crumbs={[{ text: "Casting", to: "/p/1" }, { text: "Foundry" }]} />
        <Here />
      </>,
      "/p/1/take-away",
    );

  it("says where one is, and leads back by H", () => {
    shown();
    expect(within(screen.getByLabelText("Place")).getByText("Casting").getAttribute("href")).toBe(
      "/p/1",
    );
    fireEvent.keyDown(window, { key: "h" });
    expect(address()).toBe("/p/1");
  });

  it("finds a place by parts of its name, and opens the first by Enter", async () => {
    shown();
    fireEvent.keyDown(window, { key: "/" });
    const field = screen.getByLabelText("Camera, light or thing to do");
    await screen.findByText("C Cedar in Yard: Bench");
    fireEvent.change(field, { target: { value: "yard ced chart" } });
    expect(screen.getAllByRole("listitem")).toHaveLength(1);
    const form = field.closest("form");
    if (form) fireEvent.submit(form);
    await waitFor(() => expect(address()).toBe("/p/1/l/2/c/3/chart"));
  });

  it("offers no Bench of the reference, and says when nothing is found", async () => {
    shown();
    fireEvent.keyDown(window, { key: "/" });
    await screen.findByText("A Alder in Foundry: Chart");
    expect(screen.queryByText("A Alder in Foundry: Bench")).toBeNull();
    fireEvent.change(screen.getByLabelText(/Camera, light/), { target: { value: "zeppelin" } });
    expect(screen.getByText("Nothing of that name.")).toBeTruthy();
  });

  it("lists the keys and changes the theme for good", () => {
    shown();
    fireEvent.keyDown(window, { key: "?" });
    expect(screen.getByText("match off and on")).toBeTruthy();
    fireEvent.click(screen.getByText("Lighter, for set"));
    expect(document.documentElement.dataset.theme).toBe("syntonos-daylight");
    expect(localStorage.getItem("theme")).toBe("syntonos-daylight");
  });
});

describe("digits and brackets", () => {
  const press = async (page: "chart" | "bench", key: string) => {
    show(<Angle page={page} />, `/p/1/l/1/c/2/${page}`);
    await waitFor(() => {
      fireEvent.keyDown(window, { key: "3" });
      expect(address()).toBe(`/p/1/l/1/c/3/${page}`);
    });
    fireEvent.keyDown(window, { key });
    return address();
  };

  it("choose the camera and the light, and stay on the page", async () => {
    expect(await press("bench", "]")).toBe("/p/1/l/2/c/2/bench");
  });

  it("open the reference's chart, but no Bench of it", async () => {
    expect(await press("chart", "1")).toBe("/p/1/l/1/c/1/chart");
  });

  it("do nothing past the last light", async () => {
    expect(await press("bench", "[")).toBe("/p/1/l/1/c/3/bench");
  });

  it("mean one thing in a place: none that works everywhere is taken again", () => {
    const everywhere = KEYS.filter(([where]) => where === "Everywhere").map(([, key]) => key);
    for (const [where, key] of KEYS.filter(([place]) => place !== "Everywhere")) {
      expect(everywhere, `${where}: ${key}`).not.toContain(key);
    }
    const named = KEYS.map(([where, key]) => `${where} ${key}`);
    expect(new Set(named).size).toBe(named.length);
  });
});
