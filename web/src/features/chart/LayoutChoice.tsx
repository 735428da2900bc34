import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { type Angle, api, type Schemas, toProblem, unwrap } from "@/api/client";

type Layout = Schemas["LayoutOut"];
const ADD = "add a layout file";

/** Which chart was shot: ready-made ones, the production's own, or one more from a file. */
export function LayoutChoice({
  angle,
  layout,
  onLayout,
}: {
  angle: Angle;
  layout: Layout;
  onLayout: (layout: Layout) => void;
}) {
  const client = useQueryClient();
  const file = useRef<HTMLInputElement>(null);
  const add = useMutation({
    mutationFn: async (chosen: File) =>
      unwrap(
        api.POST("/api/productions/{production_id}/layouts", {
          params: { path: { production_id: angle.production_id } },
          body: { name: chosen.name, text: await chosen.text() },
        }),
      ),
    onSuccess: async (added) => {
      await client.invalidateQueries();
      onLayout(added);
    },
  });
  const problem = add.error ? toProblem(add.error) : null;
  return (
    <>
      {problem && (
        <span
          role="alert"
          className="max-w-72 truncate"
          title={`${problem.message} ${problem.hint}`}
        >
          {problem.message} {problem.hint}
        </span>
      )}
      <label className="flex items-center gap-1.5">
        <span className="faint">Chart of</span>
        <select
          className="select select-sm w-44"
          value={layout.slug}
          onChange={(event) => {
            const slug = event.target.value;
            if (slug === ADD) file.current?.click();
            const found = angle.layouts.find((l) => l.slug === slug);
            if (found) onLayout(found);
          }}
        >
          {angle.layouts.map((l) => (
            <option key={l.slug} value={l.slug}>
              {l.name}
            </option>
          ))}
          <option value={ADD}>A layout file …</option>
        </select>
      </label>
      <input
        ref={file}
        type="file"
        accept=".toml"
        className="hidden"
        aria-label="Layout file"
        onChange={(event) => {
          const chosen = event.target.files?.[0];
          if (chosen) add.mutate(chosen);
          event.target.value = "";
        }}
      />
    </>
  );
}
