/** Of what is asked for one thing after another, which was asked for last: answers come in any order. */
export class Latest {
  private asked = 0;

  /** Asks for something. What it returns tells whether nothing was asked for since. */
  ask(): () => boolean {
    this.asked++;
    return this.since();
  }

  /** Asks for something whose answer is kept, unless something was asked for since. */
  async keep<T>(answer: Promise<T>, kept: (value: T) => void): Promise<void> {
    const isLast = this.ask();
    const value = await answer;
    if (isLast()) kept(value);
  }

  /** Asks for nothing, and tells of what others ask for from now on. */
  since(): () => boolean {
    const mine = this.asked;
    return () => mine === this.asked;
  }
}
