/** Models by id: read once, then the same object for as long as it is in use, so that what is known of it stays known. */
import type { NagareDatabase } from './db.ts';
import type { Content, ModelRow } from './marks.ts';

/** Kept at most; the one used longest ago goes first. */
const MOST = 24;

export class ModelCache {
  private readonly known = new Map<string, Content>();

  constructor(private readonly db: NagareDatabase) {}

  put(row: ModelRow): void {
    this.keep(row.id, row);
  }

  /** Undefined where there is no such model. */
  async get(id: string): Promise<Content | undefined> {
    const here = this.known.get(id);
    if (here) {
      this.keep(id, here);
      return here;
    }
    const row = await this.db.models.get(id);
    if (!row) return undefined;
    // Asked for twice at once, the first answer stands.
    const first = this.known.get(id) ?? row;
    this.keep(id, first);
    return first;
  }

  private keep(id: string, content: Content): void {
    this.known.delete(id);
    this.known.set(id, content);
    if (this.known.size > MOST) this.known.delete(this.known.keys().next().value!);
  }
}
