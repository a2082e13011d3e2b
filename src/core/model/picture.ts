/** What a model counts for a picture: some tokens for each, and some for each tile that it is cut into. */
export interface PictureCost {
  readonly base: number;
  /** Side of a tile in points. */
  readonly tile: number;
  readonly perTile: number;
}

/** More than most models count; what one counts by itself is set with it. */
const DEFAULT_PICTURE_COST: PictureCost = { base: 100, tile: 512, perTile: 400 };

/** Tokens that a model counts for a picture of so many points. */
export function pictureTokens(cost: PictureCost | undefined, width: number, height: number): number {
  const { base, tile, perTile } = cost ?? DEFAULT_PICTURE_COST;
  return base + Math.ceil(width / tile) * Math.ceil(height / tile) * perTile;
}
