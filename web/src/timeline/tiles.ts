/** Columns of a tile. */
export const tileColumns = 512;

/** Least and greatest sample of each column, alternating, in 16384ths of full scale. */
export type Tile = Int16Array;

const most = 6000; // tiles that are kept: 12 MB
const atOnce = 5; // requests; the browser has six for a server, and one is for edits

/**
 * Waveforms in tiles, by strand, level (columns of 2^level samples) and number. A tile never changes: it is fetched once
 * and kept until others are wanted more.
 */
export class Tiles {
  private kept = new Map<string, Tile>();
  private waiting: { key: string; url: string }[] = [];
  private asked = new Set<string>();
  private running = 0;

  /** `changed` is called when a tile has come. */
  constructor(private changed: () => void) {}

  /** A tile, or nothing while it is on its way. */
  get(strand: string, level: number, number: number): Tile | undefined {
    const key = `${strand}/${level}/${number}`;
    const tile = this.kept.get(key);
    if (tile) {
      this.kept.delete(key); // the last used is the last to go
      this.kept.set(key, tile);
      return tile;
    }
    if (!this.asked.has(key)) {
      this.asked.add(key);
      const length = tileColumns * 2 ** level;
      const url = `/api/strands/${strand}/waveform?from=${number * length}&to=${(number + 1) * length}&columns=${tileColumns}`;
      this.waiting.push({ key, url });
      this.next();
    }
    return undefined;
  }

  /** A tile that is here already. */
  peek(strand: string, level: number, number: number): Tile | undefined {
    return this.kept.get(`${strand}/${level}/${number}`);
  }

  /** Forgets what was asked for and is not in view any more. */
  drop() {
    for (const w of this.waiting) this.asked.delete(w.key);
    this.waiting = [];
  }

  /** Whether everything that was asked for is here. */
  get settled(): boolean {
    return this.running === 0 && this.waiting.length === 0;
  }

  private next() {
    while (this.running < atOnce && this.waiting.length > 0) {
      const w = this.waiting.shift();
      if (!w) return;
      this.running++;
      void this.fetch(w.key, w.url).finally(() => {
        this.running--;
        this.next();
        this.changed();
      });
    }
  }

  private async fetch(key: string, url: string) {
    try {
      const answer = await fetch(url);
      if (!answer.ok) return; // asked for once: a strand that is not there is drawn as a thread
      this.kept.set(key, new Int16Array(await answer.arrayBuffer()));
      for (const old of this.kept.keys()) {
        if (this.kept.size <= most) break;
        this.kept.delete(old);
        this.asked.delete(old);
      }
    } catch {
      this.asked.delete(key); // the server was away
    }
  }
}

/** The level of which a column is no wider than so many samples. */
export const levelFor = (samples: number) => Math.max(0, Math.min(30, Math.floor(Math.log2(samples))));
