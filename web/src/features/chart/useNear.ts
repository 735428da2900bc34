import { useSearchParams } from "react-router";

/** Whether both pictures show the chart close or the whole frame; kept in the address. */
export function useNear() {
  const [search, setSearch] = useSearchParams();
  const near = search.get("view") === "near";
  const toggle = () => setSearch(near ? {} : { view: "near" }, { replace: true });
  return { near, toggle };
}
