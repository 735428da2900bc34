export { ChartPage } from "./ChartPage";
