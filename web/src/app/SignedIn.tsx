import { useQuery } from "@tanstack/react-query";
import { sessionQuery } from "@/api/queries";

/** Who is signed in, and the way out; nothing where nobody is asked. */
export function SignedIn() {
  const session = useQuery(sessionQuery()).data;
  if (!session?.name) return null;
  return (
    <form method="post" action="/sign-out">
      <button
        type="submit"
        className="btn btn-sm max-w-36"
        title={`Signed in as ${session.name}, role ${session.role}: sign out`}
      >
        <span className="truncate">{session.name}</span>
        <span className="faint">Sign out</span>
      </button>
    </form>
  );
}
