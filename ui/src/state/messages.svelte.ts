/** What is said at the foot of the page. */

export interface Message {
  id: number;
  text: string;
  trouble: boolean;
  act?: { label: string; run: () => void };
}

const MESSAGE_MS = 9000;
const AT_ONCE = 3;
/** What takes longer than this is told. */
const PATIENCE_MS = 900;

class Messages {
  all: Message[] = $state([]);
  private next = 1;

  /** Says something for a while, and returns its number, by which it can be dismissed. */
  say(text: string, trouble = false, act?: Message['act'], stays = false): number {
    const id = this.next++;
    this.all = [...this.all.filter((message) => message.text !== text).slice(1 - AT_ONCE), { id, text, trouble, act }];
    if (!stays) setTimeout(() => this.dismiss(id), MESSAGE_MS);
    return id;
  }

  dismiss(id: number): void {
    this.all = this.all.filter((message) => message.id !== id);
  }

  /** Says what is being waited for, once that takes a while, with the way to give up on it; it goes when it is done. */
  async while<T>(text: string, work: Promise<T>, giveUp: () => void): Promise<T> {
    let said = 0;
    const timer = setTimeout(() => (said = this.say(text, false, { label: 'Stop', run: giveUp }, true)), PATIENCE_MS);
    try {
      return await work;
    } finally {
      clearTimeout(timer);
      this.dismiss(said);
    }
  }

  /** Runs what may be refused, and says so where it is. */
  async attempt(work: () => Promise<void>): Promise<void> {
    try {
      await work();
    } catch (error) {
      if (error instanceof DOMException && error.name === 'AbortError') return;
      this.say(error instanceof Error ? error.message : String(error), true);
    }
  }
}

export const messages = new Messages();
