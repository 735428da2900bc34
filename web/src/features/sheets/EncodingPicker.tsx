import { useQuery } from "@tanstack/react-query";
import { type KeyboardEvent, useId, useMemo, useState } from "react";
import { encodingsQuery } from "@/api/queries";

/** Every word of the search somewhere in the name or slug, in any order. */
export function matches(words: string, name: string, slug: string): boolean {
  const text = `${name} ${slug}`.toLowerCase();
  return words
    .toLowerCase()
    .split(/\s+/)
    .every((word) => text.includes(word));
}

/** Choose an encoding by any part of its name; those in use stand first. */
export function EncodingPicker({
  production,
  value,
  inUse,
  onChange,
}: {
  production: number;
  value: string;
  inUse: readonly string[];
  onChange: (slug: string) => void;
}) {
  const encodings = useQuery(encodingsQuery(production));
  const [words, setWords] = useState("");
  const [at, setAt] = useState(0);
  const list = useId();
  const found = useMemo(() => {
    const all = (encodings.data ?? []).filter((e) => matches(words, e.name, e.slug));
    const used = new Set(inUse);
    return [...all].sort((a, b) => Number(used.has(b.slug)) - Number(used.has(a.slug)));
  }, [encodings.data, words, inUse]);
  const chosen = encodings.data?.find((e) => e.slug === value);
  const key = (event: KeyboardEvent) => {
    const move = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (move) {
      event.preventDefault();
      const next = Math.max(0, Math.min(found.length - 1, at + move));
      setAt(next);
      document.getElementById(`${list}-${next}`)?.scrollIntoView?.({ block: "nearest" });
    } else if (event.key === "Enter") {
      event.preventDefault();
      const pick = found[at];
      if (pick) onChange(pick.slug);
    }
  };
  return (
    <div className="mb-3">
      <span className="mb-1 flex items-baseline font-semibold">
        Encoding
        <span className="value ml-2 truncate font-normal">{chosen?.name ?? value}</span>
      </span>
      <input
        className="input input-sm w-full"
        role="combobox"
        aria-expanded="true"
        aria-controls={list}
        aria-activedescendant={found[at] ? `${list}-${at}` : undefined}
        aria-label="Encoding"
        placeholder="Search: part of a curve's or gamut's name"
        value={words}
        onChange={(e) => {
          setWords(e.target.value);
          setAt(0);
        }}
        onKeyDown={key}
      />
      <div
        id={list}
        role="listbox"
        aria-label="Encodings"
        className="rule mt-1 h-40 overflow-y-auto border bg-base-200"
      >
        {found.map((e, i) => (
          <button
            type="button"
            tabIndex={-1}
            key={e.slug}
            id={`${list}-${i}`}
            role="option"
            aria-selected={e.slug === value}
            className={`flex w-full items-baseline gap-2 px-2 py-0.5 text-left ${i === at ? "bg-base-300" : ""} ${e.slug === value ? "font-semibold" : ""}`}
            onClick={() => {
              setAt(i);
              onChange(e.slug);
            }}
          >
            <span className="truncate">{e.name}</span>
            <span className="faint ml-auto text-2xs">
              {inUse.includes(e.slug) ? "in use" : e.kind === "own" ? "own" : e.kind}
            </span>
          </button>
        ))}
        {!found.length && encodings.data && (
          <p className="faint p-2">No encoding has this in its name.</p>
        )}
      </div>
    </div>
  );
}
