import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, type Production, unwrap } from "@/api/client";
import { productionsAwayQuery, productionsQuery } from "@/api/queries";
import { Loading, Problem } from "@/shared/Feedback";
import { PutAway, usePutAway } from "@/shared/PutAway";
import { useChange } from "./useChange";

/** All productions: open, begin, rename, put away, bring back. */
export function ProductionsPage() {
  const productions = useQuery(productionsQuery());
  const away = useQuery(productionsAwayQuery());
  return (
    <main className="mx-auto mt-16 max-w-xl p-4">
      <h1 className="mb-1 text-xl font-semibold">Syntonos</h1>
      <p className="faint mb-5">Every angle matched to one reference camera.</p>
      {productions.isPending && <Loading what="Opening productions" />}
      {productions.isError && (
        <Problem error={productions.error} onRetry={() => productions.refetch()} />
      )}
      <ul aria-label="Productions">
        {productions.data?.map((one) => (
          <Row key={one.id} production={one} />
        ))}
      </ul>
      <NewProduction isFirst={productions.data?.length === 0} />
      {away.data && away.data.length > 0 && (
        <section className="mt-8" aria-label="Put away">
          <h2 className="faint mb-1">Put away</h2>
          {away.data.map((one) => (
            <Away key={one.id} production={one} />
          ))}
        </section>
      )}
    </main>
  );
}

function Row({ production }: { production: Production }) {
  const [name, setName] = useState<string | null>(null);
  const rename = useChange(
    () =>
      unwrap(
        api.PATCH("/api/productions/{production_id}", {
          params: { path: { production_id: production.id } },
          body: { name: name ?? production.name },
        }),
      ),
    () => setName(null),
  );
  return (
    <li className="rule flex items-center gap-3 border-t py-2">
      {name === null ? (
        <Link
          className="min-w-0 flex-1 truncate font-semibold hover:underline"
          to={`/p/${production.id}`}
        >
          {production.name}
        </Link>
      ) : (
        <form
          className="flex flex-1 gap-2"
          onSubmit={(event) => {
            event.preventDefault();
            rename.mutate(undefined);
          }}
        >
          <input
            className="input input-sm flex-1"
            aria-label={`New name of ${production.name}`}
            value={name}
            required
            maxLength={120}
            onChange={(e) => setName(e.target.value)}
          />
          <button type="submit" className="btn btn-sm btn-primary">
            Save
          </button>
        </form>
      )}
      <button
        type="button"
        className="btn btn-xs"
        onClick={() => setName(name === null ? production.name : null)}
      >
        {name === null ? "Rename" : "Cancel"}
      </button>
      <PutAway production={production.id} kind="production" id={production.id} />
      {rename.isError && <Problem error={rename.error} />}
    </li>
  );
}

function Away({ production }: { production: Production }) {
  const back = usePutAway(production.id);
  return (
    <p className="rule flex items-center gap-3 border-t py-2">
      <span className="flex-1">{production.name}</span>
      <button
        type="button"
        className="btn btn-xs"
        onClick={() =>
          back.mutate({ kind: "production", id: production.id, is_away: false, base: null })
        }
      >
        Bring back
      </button>
    </p>
  );
}

function NewProduction({ isFirst }: { isFirst: boolean }) {
  const navigate = useNavigate();
  const client = useQueryClient();
  const [name, setName] = useState("");
  const create = useChange(
    async () => {
      const made = await unwrap(api.POST("/api/productions", { body: { name } }));
      await client.invalidateQueries({ queryKey: productionsQuery().queryKey });
      navigate(`/p/${made.id}`);
    },
    () => undefined,
  );
  return (
    <form
      className="rule mt-2 flex items-end gap-3 border-t pt-3"
      onSubmit={(event) => {
        event.preventDefault();
        create.mutate(undefined);
      }}
    >
      <label className="flex-1">
        <span className="mb-1 block font-semibold">Name of the production</span>
        <input
          className="input input-sm w-full"
          value={name}
          required
          maxLength={120}
          onChange={(e) => setName(e.target.value)}
        />
      </label>
      <button type="submit" className="btn btn-sm btn-primary">
        {isFirst ? "Begin" : "New production"}
      </button>
      {create.isError && <Problem error={create.error} />}
    </form>
  );
}
