export { BenchPage } from "./BenchPage";
export { PicturePage } from "./PicturePage";
