import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import { beforeEach, expect, it, vi } from "vitest";
import { board } from "@/test/fixtures";
import { show } from "@/test/show";
import { ProductionsPage } from "./ProductionsPage";

type Sent = { method: string; path: string; body: Record<string, unknown> };
let sent: Sent[] = [];
let here: { id: number; name: string }[] = [];
let away: { id: number; name: string }[] = [];

beforeEach(() => {
  sent = [];
  const one = board([]).production;
  here = [
    { ...one, id: 1, name: "Casting day" },
    { ...one, id: 2, name: "Tests" },
  ];
  away = [{ ...one, id: 3, name: "Last year" }];
  vi.stubGlobal("fetch", async (request: Request) => {
    const path = new URL(request.url).pathname;
    if (request.method === "GET")
      return Response.json(path.endsWith("/productions-away") ? away : here);
    const body = await request.json();
    sent.push({ method: request.method, path, body });
    return Response.json({ ...one, id: 7, name: String(body.name ?? "") }, { status: 201 });
  });
  show(<ProductionsPage />);
});

it("lists productions to open, and those that were put away to bring back", async () => {
  const link = await screen.findByText("Casting day");
  expect(link.closest("a")?.getAttribute("href")).toBe("/p/1");
  const gone = await screen.findByLabelText("Put away");
  fireEvent.click(within(gone).getByText("Bring back"));
  await waitFor(() => expect(sent).toHaveLength(1));
  expect(sent[0]).toMatchObject({
    path: "/api/productions/3/away",
    body: { kind: "production", id: 3, is_away: false },
  });
});

it("renames one and puts one away", async () => {
  const rows = await screen.findAllByRole("listitem");
  fireEvent.click(within(rows[1] as HTMLElement).getByText("Rename"));
  fireEvent.change(screen.getByLabelText("New name of Tests"), { target: { value: "Lens tests" } });
  fireEvent.click(screen.getByText("Save"));
  await waitFor(() => expect(sent).toHaveLength(1));
  expect(sent[0]).toMatchObject({
    method: "PATCH",
    path: "/api/productions/2",
    body: { name: "Lens tests" },
  });
  fireEvent.click(within(rows[0] as HTMLElement).getByText("Put away"));
  await waitFor(() => expect(sent).toHaveLength(2));
  expect(sent[1]).toMatchObject({ path: "/api/productions/1/away", body: { is_away: true } });
});

it("begins a new one", async () => {
  fireEvent.change(await screen.findByLabelText("Name of the production"), {
    target: { value: "Spring" },
  });
  fireEvent.click(screen.getByText("New production"));
  await waitFor(() => expect(sent).toHaveLength(1));
  expect(sent[0]).toMatchObject({
    method: "POST",
    path: "/api/productions",
    body: { name: "Spring" },
  });
});
