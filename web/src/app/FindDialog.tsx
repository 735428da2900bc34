import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { boardQuery } from "@/api/queries";
import { Dialog } from "@/shared/Dialog";

/** Find a place by typing part of its name; Enter opens the first. */
export function FindDialog({ production, onClose }: { production: number; onClose: () => void }) {
  const board = useQuery(boardQuery(production));
  const navigate = useNavigate();
  const [text, setText] = useState("");
  const places = (board.data?.lights ?? []).flatMap((light) =>
    (board.data?.cameras ?? []).flatMap((camera) => {
      const base = `/p/${production}/l/${light.id}/c/${camera.id}`;
      const name = `${camera.letter} ${camera.name} in ${light.name}`;
      return [
        ...(camera.is_reference ? [] : [{ name: `${name}: Bench`, to: `${base}/bench` }]),
        { name: `${name}: Chart`, to: `${base}/chart` },
      ];
    }),
  );
  places.push({ name: "Board", to: `/p/${production}` });
  places.push({ name: "Footage: bring in, clips", to: `/p/${production}/footage` });
  places.push({ name: "Take away", to: `/p/${production}/take-away` });
  const words = text.toLowerCase().split(/\s+/);
  const found = places.filter((p) => words.every((w) => p.name.toLowerCase().includes(w)));
  const go = (to: string | undefined) => {
    if (!to) return;
    onClose();
    navigate(to);
  };
  return (
    <Dialog title="Find" onClose={onClose}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          go(found[0]?.to);
        }}
      >
        <input
          className="input input-sm w-full"
          aria-label="Camera, light or thing to do"
          placeholder="camera, light or thing to do"
          value={text}
          data-first
          onChange={(event) => setText(event.target.value)}
        />
      </form>
      <ul className="mt-2 max-h-72 overflow-y-auto">
        {found.map((p) => (
          <li key={p.to}>
            <button
              type="button"
              className="w-full rounded px-2 py-1 text-left hover:bg-base-300"
              onClick={() => go(p.to)}
            >
              {p.name}
            </button>
          </li>
        ))}
        {!found.length && <li className="faint px-2 py-1">Nothing of that name.</li>}
      </ul>
    </Dialog>
  );
}
