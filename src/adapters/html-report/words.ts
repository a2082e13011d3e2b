export const percent = (share: number | null | undefined): string =>
  share === null || share === undefined ? "–" : `${(share * 100).toFixed(1)} %`;
export const figure = (value: number | null | undefined): string => (value === null || value === undefined ? "–" : value.toFixed(3));
