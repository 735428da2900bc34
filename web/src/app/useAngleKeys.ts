import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { boardQuery } from "@/api/queries";
import { type KeyMap, useKeys } from "@/shared/useKeys";

/** Digits choose the camera, brackets the light; the page stays the same. */
export function useAngleKeys(
  production: number,
  light: number,
  camera: number,
  page: "chart" | "bench",
): void {
  const board = useQuery(boardQuery(production));
  const navigate = useNavigate();
  const cameras = [...(board.data?.cameras ?? [])].sort((a, b) => a.letter.localeCompare(b.letter));
  const lights = board.data?.lights ?? [];
  const go = (lightId: number | undefined, cameraId: number | undefined) => {
    if (!lightId || !cameraId) return;
    // How one looks stays: compare mode, panel, marks, frame. Which clips were chosen does not.
    const search = new URLSearchParams(window.location.search);
    for (const name of ["rc", "ac"]) search.delete(name);
    const how = search.size ? `?${search}` : "";
    navigate(`/p/${production}/l/${lightId}/c/${cameraId}/${page}${how}`);
  };
  const map: KeyMap = {};
  for (const [i, c] of cameras.entries()) {
    if (i < 9 && !(page === "bench" && c.is_reference)) map[String(i + 1)] = () => go(light, c.id);
  }
  const at = lights.findIndex((l) => l.id === light);
  map["["] = () => go(lights[at - 1]?.id, camera);
  map["]"] = () => go(lights[at + 1]?.id, camera);
  useKeys(map);
}
