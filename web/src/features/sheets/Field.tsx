import type { ReactNode } from "react";

export function Field({
  label,
  hint,
  children,
}: {
  label: string;
  hint?: string;
  children: ReactNode;
}) {
  return (
    // biome-ignore lint/a11y/noLabelWithoutControl: the control is the child
    <label className="mb-3 block">
      <span className="mb-1 block font-semibold">{label}</span>
      {children}
      {hint && <span className="faint mt-1 block text-2xs">{hint}</span>}
    </label>
  );
}

export function Actions({
  busy,
  text,
  onCancel,
}: {
  busy: boolean;
  text: string;
  onCancel: () => void;
}) {
  return (
    <div className="mt-5 flex justify-end gap-2">
      <button type="button" className="btn btn-sm" onClick={onCancel}>
        Cancel
      </button>
      <button type="submit" className="btn btn-sm btn-primary" disabled={busy}>
        {text}
      </button>
    </div>
  );
}
