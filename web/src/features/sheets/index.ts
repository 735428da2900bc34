export { CameraSheet } from "./CameraSheet";
export { LightSheet } from "./LightSheet";
export { ProductionSheet } from "./ProductionSheet";
export { ProductionsPage } from "./ProductionsPage";
