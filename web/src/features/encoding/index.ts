export { TakeAs } from "./TakeAs";
