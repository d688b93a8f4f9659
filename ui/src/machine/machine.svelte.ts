/** A patch on a machine card: which card, what the machine makes of it, and what its panel says. */
import { api, asBody, unwrap, type Head, type Patch } from '../api/api';
import type { components } from '../api/schema.gen';
import { Latest } from '../state/latest';
import { keepNew } from '../state/library';
import { freshId } from '../session/window';
import { EMPTY_CARD, type Card } from './card';
import type { Workbench } from '../state/workbench.svelte';

type Schemas = components['schemas'];
export type OnCard = Schemas['PatchOnCard'];
export class Machine {
  heads: Head[] = $state.raw([]);
  id = $state('');
  card: Card | null = $state.raw(null);
  found: OnCard | null = $state.raw(null);
  /** Which source of the machine each source of the patch is given to, where the user says so. */
  assigned: Record<string, string> = $state.raw({});
  /** What is typed of a panel, by control; empty where the patch leads. */
  figures: Record<string, string> = $state.raw({});
  trouble = $state('');
  private readonly asked = new Latest();
  private readonly listed = new Latest();
  private sequence = 0;
  /** Writes go one after the other, each after what the one before came to. */
  private writing: Promise<void> = Promise.resolve();

  constructor(private readonly bench: Pick<Workbench, 'patch' | 'tracing' | 'bring'>) {}

  async refresh(): Promise<void> {
    const isLast = this.listed.ask();
    const heads = await unwrap(api.GET('/api/cards'));
    if (!isLast()) return;
    this.heads = heads;
    const wanted = this.heads.find((head) => head.id === this.id) ?? this.heads[0];
    if (!this.card && wanted) await this.choose(wanted.id);
  }

  async choose(id: string): Promise<void> {
    const isLast = this.asked.ask();
    this.id = id;
    // What is said of one card is not said of another.
    this.card = this.found = null;
    this.assigned = this.figures = {};
    const kept = await unwrap(api.GET('/api/cards/{document_id}', { params: { path: { document_id: id } } }));
    if (!isLast()) return;
    this.card = kept.document as unknown as Card;
    this.sequence = kept.sequence;
    await this.look();
  }

  async look(): Promise<void> {
    const { patch } = this.bench;
    if (!patch || !this.card) return;
    const isLast = this.asked.ask();
    const known = new Set((patch.modules ?? []).map((module) => module.id));
    const assigned = Object.fromEntries(Object.entries(this.assigned).filter(([module]) => known.has(module)));
    const body = { document: asBody(patch), card: this.card as unknown as Record<string, unknown>, assigned };
    try {
      const found = await unwrap(api.POST('/api/card/patch', { body }));
      if (isLast()) [this.found, this.trouble] = [found, ''];
    } catch (error) {
      if (isLast()) this.trouble = error instanceof Error ? error.message : String(error);
    }
  }

  /** Shows the card as it was edited, and keeps it; what the server refuses is said, and the card is as it was before. */
  async write(next: Card): Promise<void> {
    const { id, card: before } = this;
    this.card = next;
    const mine = this.writing
      .catch(() => {})
      .then(async () => {
        const path = { document_id: id };
        const body = { document: next as Record<string, unknown>, sequence: this.sequence, write: freshId() };
        try {
          const kept = await unwrap(api.PUT('/api/cards/{document_id}/draft', { params: { path }, body }));
          if (id !== this.id) return;
          this.sequence = kept.sequence;
          this.heads = this.heads.map((head) => (head.id === id ? { ...head, name: kept.name } : head));
        } catch (error) {
          if (this.card === next) this.card = before;
          throw error;
        }
        await this.look();
      });
    this.writing = mine;
    await mine;
  }

  async make(): Promise<void> {
    const body = { document: EMPTY_CARD as Record<string, unknown>, write: freshId(), reason: '' };
    const kept = await unwrap(api.POST('/api/cards', { body }));
    await this.choose(kept.id);
    await this.refresh();
  }

  give(module: string, source: string): void {
    this.assigned = { ...this.assigned, [module]: source };
    void this.look();
  }

  /** Shows behind the sheet what the machine would make of the patch. */
  ghost(): void {
    if (this.found && this.card)
      this.bench.tracing.hold(this.card.name ?? 'the machine', this.found.patch as unknown as Patch);
  }

  /** Keeps the patch that the panel makes as it was typed, and opens it. */
  async fromPanel(): Promise<void> {
    const card = this.card as unknown as Record<string, unknown>;
    const { figures } = this;
    await this.bench.bring(async () => {
      const { document } = await unwrap(api.POST('/api/card/panel', { body: { card, figures } }));
      return keepNew(document as unknown as Patch);
    });
  }
}
