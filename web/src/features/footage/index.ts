export { BringIn } from "./BringIn";
export { FootagePage } from "./FootagePage";
