/** What the settings of clips are called. */
export const WORDS_OF: Record<string, string> = {
  encoding: "encoding",
  levels: "curve levels",
  quantisation: "quantisation range",
  matrix: "Y'CbCr matrix",
  siting: "chroma siting",
  white: "white",
  kelvin: "kelvin",
  tint: "tint",
  stops: "exposure",
  exposure_index: "exposure index",
  highlights: "highlights",
};
