/** The box in a table's head that marks every row, or none. */
export function TickAll<R extends { id: number }>({
  label,
  rows,
  marked,
  onToggle,
}: {
  label: string;
  rows: readonly R[];
  marked: number;
  onToggle: (ids: number[], on: boolean) => void;
}) {
  return (
    <input
      type="checkbox"
      className="checkbox checkbox-xs"
      aria-label={label}
      checked={marked === rows.length}
      onChange={(e) =>
        onToggle(
          rows.map((row) => row.id),
          e.target.checked,
        )
      }
    />
  );
}
