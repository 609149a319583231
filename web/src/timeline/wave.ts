import { levelFor, type Tiles, tileColumns } from "./tiles";

const scale = 16384;

/** Reads least and greatest samples of a strand out of tiles, from the level that fits, or a coarser one that is here. */
export class Reader {
  private level: number;
  private number = -1;
  private tile: Int16Array | undefined;
  private column: number;
  lo = 0;
  hi = 0;

  constructor(
    private tiles: Tiles,
    private strand: string,
    samples: number,
  ) {
    this.level = levelFor(samples);
    this.column = 2 ** this.level;
  }

  /** Finds the extent of [from, to); false while nothing of it is here. */
  read(from: number, to: number): boolean {
    let lo = Number.POSITIVE_INFINITY;
    let hi = Number.NEGATIVE_INFINITY;
    const last = Math.max(from, to - 1e-9);
    for (let c = Math.floor(from / this.column); c <= Math.floor(last / this.column); c++) {
      const n = Math.floor(c / tileColumns);
      if (n !== this.number) {
        this.number = n;
        this.tile = n < 0 ? undefined : this.tiles.get(this.strand, this.level, n);
      }
      if (!this.tile) {
        if (!this.coarser(c)) continue;
        lo = Math.min(lo, this.lo);
        hi = Math.max(hi, this.hi);
        continue;
      }
      const i = 2 * (c - n * tileColumns);
      lo = Math.min(lo, (this.tile[i] ?? 0) / scale);
      hi = Math.max(hi, (this.tile[i + 1] ?? 0) / scale);
    }
    this.lo = lo;
    this.hi = hi;
    return hi >= lo;
  }

  /** A column by what is at hand of a coarser level, until the finer one has come. */
  private coarser(column: number): boolean {
    for (let up = 1; up <= 10; up++) {
      const c = Math.floor(column / 2 ** up);
      const tile = this.tiles.peek(this.strand, this.level + up, Math.floor(c / tileColumns));
      if (!tile) continue;
      const i = 2 * (c % tileColumns);
      this.lo = (tile[i] ?? 0) / scale;
      this.hi = (tile[i + 1] ?? 0) / scale;
      return true;
    }
    return false;
  }
}
