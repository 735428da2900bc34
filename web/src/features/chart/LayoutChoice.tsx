import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { type Angle, api, type Schemas, unwrap } from "@/api/client";
import { afterChange } from "@/api/queries";
import { Problem } from "@/shared/Feedback";

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
      await afterChange(client, "matching");
      onLayout(added);
    },
  });
  return (
    <>
      {add.error ? (
        // Over the pictures: in the bar there is no room for what is wrong and what to do.
        <div className="absolute bottom-11 left-2 z-10 flex max-w-[620px] items-start gap-2">
          <Problem error={add.error} />
          <button type="button" className="btn btn-xs" onClick={() => add.reset()}>
            Close
          </button>
        </div>
      ) : null}
      <label className="flex items-center gap-1.5">
        <span className="faint whitespace-nowrap">Chart of</span>
        <select
          className="select select-sm w-28"
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
