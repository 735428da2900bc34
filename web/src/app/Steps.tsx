import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Redo2, ScrollText, Undo2 } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { api, toProblem, unwrap } from "@/api/client";
import { afterChange, historyQuery } from "@/api/queries";
import { LogDialog } from "./LogDialog";

const SAID_FOR = 6000; // milliseconds that what was undone stands in the line

/** Undo and redo of one's own steps, by buttons and keys, and the log they stand on. */
export function Steps({ production }: { production: number }) {
  const client = useQueryClient();
  const history = useQuery(historyQuery(production)).data;
  const [isOpen, setOpen] = useState(false);
  const [said, setSaid] = useState("");
  const go = useMutation({
    scope: { id: `steps of ${production}` }, // presses in quick succession wait for each other
    mutationFn: (what: "undo" | "redo") => {
      const place = { params: { path: { production_id: production } } };
      return unwrap(
        what === "undo"
          ? api.POST("/api/productions/{production_id}/undo", place)
          : api.POST("/api/productions/{production_id}/redo", place),
      );
    },
    onSuccess: (done) => {
      setSaid(done.words);
      return afterChange(client);
    },
    onError: (problem) => {
      const { message, hint } = toProblem(problem);
      setSaid(`${message} ${hint}`);
    },
  });
  useEffect(() => {
    if (!said) return;
    const timer = setTimeout(() => setSaid(""), SAID_FOR);
    return () => clearTimeout(timer);
  }, [said]);
  const latest = useRef({ history, go });
  latest.current = { history, go };
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const key = event.key.toLowerCase();
      if (!(event.ctrlKey || event.metaKey) || event.altKey || !"zy".includes(key)) return;
      // Fields undo their own typing; a sheet is not kept yet.
      if (isTyping(event.target) || document.querySelector("dialog[open]")) return;
      event.preventDefault();
      const { history, go } = latest.current;
      const what = key === "y" || event.shiftKey ? "redo" : "undo";
      if (history?.[what] || go.isPending) go.mutate(what);
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
  return (
    <div className="join">
      {said && (
        // Over the page: the line has no room for it.
        <output className="rule fixed top-11 right-3 z-20 max-w-md border bg-base-300 px-3 py-2">
          {said}
        </output>
      )}
      {(
        [
          ["undo", "Undo", "Ctrl Z", Undo2],
          ["redo", "Redo", "Ctrl Shift Z", Redo2],
        ] as const
      ).map(([what, name, keys, Icon]) => (
        <button
          key={what}
          type="button"
          className="btn btn-sm join-item w-7 px-0"
          aria-label={history?.[what] ? `${name}: ${history[what]}` : name}
          title={history?.[what] ? `${name}: ${history[what]} (${keys})` : `Nothing to ${what}`}
          disabled={!history?.[what] || go.isPending}
          onClick={() => go.mutate(what)}
        >
          <Icon size={15} strokeWidth={1.5} />
        </button>
      ))}
      <button
        type="button"
        className="btn btn-sm join-item w-7 px-0"
        aria-label="Log"
        title="What was changed, by whom and when"
        onClick={() => setOpen(true)}
      >
        <ScrollText size={15} strokeWidth={1.5} />
      </button>
      {isOpen && history && <LogDialog history={history} onClose={() => setOpen(false)} />}
    </div>
  );
}

function isTyping(target: EventTarget | null): boolean {
  if (target instanceof HTMLInputElement)
    return !["range", "checkbox", "radio"].includes(target.type);
  return target instanceof HTMLTextAreaElement;
}
