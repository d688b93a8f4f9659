/** What is said at the foot of the page. */

export interface Message {
  id: number;
  text: string;
  trouble: boolean;
  act?: { label: string; run: () => void };
}

const MESSAGE_MS = 9000;
const AT_ONCE = 3;

class Messages {
  all: Message[] = $state([]);
  private next = 1;

  /** Says something for a while, and returns its number, by which it can be dismissed. */
  say(text: string, trouble = false, act?: Message['act']): number {
    const id = this.next++;
    this.all = [...this.all.filter((message) => message.text !== text).slice(1 - AT_ONCE), { id, text, trouble, act }];
    setTimeout(() => this.dismiss(id), MESSAGE_MS);
    return id;
  }

  dismiss(id: number): void {
    this.all = this.all.filter((message) => message.id !== id);
  }

  /** Runs what may be refused, and says so where it is. */
  async attempt(work: () => Promise<void>): Promise<void> {
    try {
      await work();
    } catch (error) {
      this.say(error instanceof Error ? error.message : String(error), true);
    }
  }
}

export const messages = new Messages();
