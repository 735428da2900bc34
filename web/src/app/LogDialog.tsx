import { useState } from "react";
import { authorName, setAuthorName } from "@/api/author";
import type { Schemas } from "@/api/client";
import { Dialog } from "@/shared/Dialog";
import { when } from "@/shared/when";

/** What was changed in the production, the newest first: when, by whom, in words. */
export function LogDialog({
  history,
  onClose,
}: {
  history: Schemas["HistoryOut"];
  onClose: () => void;
}) {
  const [name, setName] = useState(authorName());
  return (
    <Dialog title="Log of changes" onClose={onClose} wide>
      <label className="mb-3 flex items-center gap-2">
        <span className="faint">your name in it</span>
        <input
          className="input input-sm w-56"
          value={name}
          maxLength={60}
          onChange={(event) => {
            setName(event.target.value);
            setAuthorName(event.target.value);
          }}
        />
      </label>
      {history.changes.length === 0 && <p className="faint">Nothing was changed yet.</p>}
      <table className="w-full text-left">
        <tbody>
          {history.changes.map((change) => (
            <tr key={change.sequence} className="rule border-t align-top">
              <td className="value faint w-14 py-1 pr-3 text-right">{change.sequence}</td>
              <td className="value py-1 pr-3 whitespace-nowrap">{when(change.created)}</td>
              <td className="faint max-w-40 truncate py-1 pr-3">{change.who}</td>
              <td className={`py-1 ${change.is_undone ? "faint line-through" : ""}`}>
                {change.words}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </Dialog>
  );
}
