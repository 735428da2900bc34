import { X } from "lucide-react";
import { type ReactNode, type SyntheticEvent, useEffect, useRef } from "react";

/** A sheet over the page; Escape and the cross close it, focus comes back where it was. */
export function Dialog({
  title,
  onClose,
  children,
  wide = false,
}: {
  title: ReactNode;
  onClose: () => void;
  children: ReactNode;
  /** Wide, or as wide as the window. */
  wide?: boolean | "whole";
}) {
  const ref = useRef<HTMLDialogElement>(null);
  useEffect(() => {
    const dialog = ref.current;
    dialog?.showModal();
    // showModal focuses the first button; a field marked as first is meant to be typed in.
    dialog?.querySelector<HTMLElement>("[data-first]")?.focus();
    return () => dialog?.close();
  }, []);
  // At once, not with the later "close" event: it could close the next dialog instead.
  const cancel = (event: SyntheticEvent) => {
    event.preventDefault();
    onClose();
  };
  return (
    <dialog ref={ref} className="modal" onCancel={cancel} aria-label={String(title)}>
      <div
        className={`modal-box rule border bg-base-100 p-5 ${wide === "whole" ? "max-w-[97vw]" : wide ? "max-w-4xl" : "max-w-md"}`}
      >
        <div className="mb-4 flex items-center">
          <h2 className="text-base font-semibold">{title}</h2>
          <button
            type="button"
            className="btn btn-sm btn-square ml-auto"
            aria-label="Close"
            onClick={onClose}
          >
            <X size={16} />
          </button>
        </div>
        {children}
      </div>
    </dialog>
  );
}
