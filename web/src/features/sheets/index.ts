export { CameraSheet } from "./CameraSheet";
export { LightSheet } from "./LightSheet";
export { FirstProduction, ProductionSheet } from "./ProductionSheet";
