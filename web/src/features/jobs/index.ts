export { JobsMark } from "./JobsMark";
export { MatchAll } from "./MatchAll";
