import { type ReactNode, useState } from "react";
import { Link, useNavigate } from "react-router";
import { JobsMark } from "@/features/jobs";
import { useKeys } from "@/shared/useKeys";
import { FindDialog } from "./FindDialog";
import { HelpDialog } from "./HelpDialog";
import { SignedIn } from "./SignedIn";
import { Steps } from "./Steps";

export type Crumb = { text: ReactNode; to?: string };

/** The last part of the way is the page's heading. */
function CrumbText({ isLast, children }: { isLast: boolean; children: ReactNode }) {
  return isLast ? (
    <h1 className="font-semibold">{children}</h1>
  ) : (
    <span className="font-semibold">{children}</span>
  );
}

/** Where one is, and the way back; what belongs to the view stands on the right. */
export function TopLine({
  production,
  crumbs,
  children,
}: {
  production: number;
  crumbs: Crumb[];
  children?: ReactNode;
}) {
  const [open, setOpen] = useState<"help" | "find" | null>(null);
  const navigate = useNavigate();
  useKeys({
    "?": () => setOpen("help"),
    "/": () => setOpen("find"),
    h: () => navigate(`/p/${production}`),
  });
  return (
    <header className="rule flex min-h-9 shrink-0 flex-wrap items-center gap-x-3 gap-y-1 border-b bg-base-200 px-3 max-[1000px]:py-1">
      <Link to={`/p/${production}`} className="text-sm font-bold tracking-tight">
        Syntonos
      </Link>
      <nav aria-label="Place" className="flex min-w-0 flex-1 items-center gap-1.5 truncate">
        {crumbs.map((crumb, i) => (
          <span
            // biome-ignore lint/suspicious/noArrayIndexKey: the trail has a fixed order
            key={i}
            className={`flex items-center gap-1.5 ${i < crumbs.length - 2 ? "max-[1400px]:hidden" : ""}`}
          >
            {i > 0 && (
              <span className={`faint ${i < crumbs.length - 1 ? "max-[1400px]:hidden" : ""}`}>
                ·
              </span>
            )}
            {crumb.to ? (
              <Link to={crumb.to} className="faint hover:text-base-content">
                {crumb.text}
              </Link>
            ) : (
              <CrumbText isLast={i === crumbs.length - 1}>{crumb.text}</CrumbText>
            )}
          </span>
        ))}
      </nav>
      <div className="ml-auto flex max-w-full shrink-0 flex-wrap items-center justify-end gap-2">
        <JobsMark production={production} />
        <Steps production={production} />
        {children}
        <SignedIn />
        <button
          type="button"
          className="btn btn-sm btn-square"
          aria-label="Keys and help"
          onClick={() => setOpen("help")}
        >
          ?
        </button>
      </div>
      {open === "help" && <HelpDialog onClose={() => setOpen(null)} />}
      {open === "find" && <FindDialog production={production} onClose={() => setOpen(null)} />}
    </header>
  );
}
