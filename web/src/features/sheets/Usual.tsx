import { useQuery } from "@tanstack/react-query";
import { usualQuery } from "@/api/queries";

interface Combination {
  levels: "full" | "legal";
  quantisation: "" | "full" | "legal";
}

/** What range and curve levels the files that this camera brought usually go with. */
export function Usual({
  camera,
  encoding,
  value,
  onTake,
}: {
  camera: number;
  encoding: string;
  value: Combination;
  onTake: (combination: Combination) => void;
}) {
  const { data } = useQuery(usualQuery(camera, encoding));
  if (!data?.length) return null;
  return (
    <ul className="mb-3 space-y-1 text-2xs" aria-label="Usual combinations">
      {data.map((usual) => {
        const asUsual =
          value.levels === usual.levels &&
          (usual.ranges.length === 0 || usual.ranges.includes(value.quantisation));
        return (
          <li key={usual.files}>
            Its {usual.files}: usually {usual.words}{" "}
            {asUsual ? (
              <span className="faint">So it is set.</span>
            ) : (
              <button
                type="button"
                className="btn btn-xs ml-1"
                onClick={() =>
                  onTake({
                    levels: usual.levels,
                    quantisation: usual.ranges[0] ?? value.quantisation,
                  })
                }
              >
                Set it so
              </button>
            )}
          </li>
        );
      })}
    </ul>
  );
}
