import type { KeyboardEvent, ReactNode } from "react";

/**
 * Tabs by the ARIA pattern: one stop for the Tab key, arrows go round and choose at once, Home and
 * End go to the ends; the panel is named by its tab.
 */
export function Tabs<T extends string>({
  label,
  all,
  value,
  onChange,
  children,
  words,
  beside,
  className = "",
}: {
  label: string;
  all: readonly T[];
  value: T;
  onChange: (value: T) => void;
  /** What the chosen tab shows. */
  children: ReactNode;
  /** What stands on a tab instead of its name. */
  words?: Record<T, ReactNode>;
  /** What stands in the line of the tabs, at its end. */
  beside?: ReactNode;
  className?: string;
}) {
  const id = (name: string) => `${label}-${name}`.replace(/\W+/g, "-").toLowerCase();
  const move = (event: KeyboardEvent) => {
    const at = all.indexOf(value);
    const to = {
      ArrowRight: (at + 1) % all.length,
      ArrowLeft: (at + all.length - 1) % all.length,
      Home: 0,
      End: all.length - 1,
    }[event.key];
    const next = to === undefined ? undefined : all[to];
    if (next === undefined) return;
    event.preventDefault();
    onChange(next);
    document.getElementById(id(`${next} tab`))?.focus();
  };
  return (
    <>
      <div className="flex shrink-0 items-center px-3 pt-1.5">
        <div className="join" role="tablist" aria-label={label} tabIndex={-1} onKeyDown={move}>
          {all.map((name) => (
            <button
              key={name}
              id={id(`${name} tab`)}
              type="button"
              role="tab"
              aria-selected={value === name}
              aria-controls={id("panel")}
              tabIndex={value === name ? 0 : -1}
              className={`btn btn-xs join-item px-2 capitalize ${value === name ? "btn-primary" : ""}`}
              onClick={() => onChange(name)}
            >
              {words ? words[name] : name}
            </button>
          ))}
        </div>
        {beside}
      </div>
      <div
        id={id("panel")}
        role="tabpanel"
        aria-labelledby={id(`${value} tab`)}
        className={className}
      >
        {children}
      </div>
    </>
  );
}
