export { TakeAwayPage } from "./TakeAwayPage";
