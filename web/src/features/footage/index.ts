export { BringIn } from "./BringIn";
