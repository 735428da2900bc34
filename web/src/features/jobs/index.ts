export { JobLine, JobsMark } from "./JobsMark";
export { MatchAll } from "./MatchAll";
