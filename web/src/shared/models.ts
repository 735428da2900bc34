/** What a fit may be made of, from the simplest to the richest; short, for lists. */
export const MODEL_WORDS = {
  white: "white and exposure",
  matrix: "3×3, neutral kept",
  roots: "root polynomial",
  smooth: "3×3 and smooth residual",
  averaged: "all, weighed",
} as const;

export type Model = keyof typeof MODEL_WORDS;

export const modelWord = (model: string) => MODEL_WORDS[model as Model] ?? model;
