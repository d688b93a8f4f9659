/** How the staves of a patch lie on the sheet: kept in this browser, by patch. */

export type StaveSize = 'plain' | 'folded' | 'large';

interface Arrangement {
  staves: Record<string, { size?: StaveSize; order?: number }>;
  /** Signals and destinations raised to a stave. */
  pinned: string[];
}

export class Staves {
  private now: Arrangement = $state.raw({ staves: {}, pinned: [] });
  private id = '';

  get pinned(): string[] {
    return this.now.pinned;
  }

  open(id: string): void {
    this.id = id;
    this.now = { staves: {}, pinned: [] };
    try {
      const kept = JSON.parse(localStorage.getItem(this.key) ?? '{}') as Partial<Arrangement>;
      this.now = { staves: kept.staves ?? {}, pinned: kept.pinned ?? [] };
    } catch {
      // What another version left there is not worth a word: the staves lie as they do at first.
    }
  }

  private get key(): string {
    return `jorvik.staves.${this.id}`;
  }

  private set(changed: Partial<Arrangement>): void {
    this.now = { ...this.now, ...changed };
    localStorage.setItem(this.key, JSON.stringify(this.now));
  }

  sizeOf(name: string): StaveSize {
    return this.now.staves[name]?.size ?? 'plain';
  }

  lay(name: string, size: StaveSize): void {
    this.set({ staves: { ...this.now.staves, [name]: { ...this.now.staves[name], size } } });
  }

  /** Returns the place of a stave among those that stand. */
  orderOf(name: string, standing: readonly string[]): number {
    return this.now.staves[name]?.order ?? standing.indexOf(name);
  }

  /** Moves a stave past its neighbour above or below, where there is one. */
  move(name: string, by: -1 | 1, standing: readonly string[]): void {
    const names = [...standing].sort((a, b) => this.orderOf(a, standing) - this.orderOf(b, standing));
    const at = names.indexOf(name);
    const other = names[at + by];
    if (at < 0 || !other) return;
    names[at + by] = name;
    names[at] = other;
    const moved = Object.fromEntries(names.map((n, order) => [n, { ...this.now.staves[n], order }]));
    this.set({ staves: { ...this.now.staves, ...moved } });
  }

  /** Raises a signal or a destination to a stave, or lowers it again. */
  pin(name: string): void {
    const { pinned } = this;
    this.set({ pinned: pinned.includes(name) ? pinned.filter((other) => other !== name) : [...pinned, name] });
  }
}
