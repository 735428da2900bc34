export { JobLine, JobsMark } from "./JobsMark";
export { type AngleOutcome, LEFT_ALONE, MatchAll, MatchEverything, outcomesOf } from "./MatchAll";
