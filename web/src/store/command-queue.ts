/** Commands one after another, each over the state that the one before left. A failed command does not stop the queue. */
export class CommandQueue {
  private tail: Promise<unknown> = Promise.resolve();

  /** Runs a command when all earlier ones are done; settles as it does. */
  add<T>(command: () => Promise<T> | T): Promise<T> {
    const result = this.tail.then(command);
    this.tail = result.catch(() => undefined);
    return result;
  }

  /** Resolves when everything added so far is done. */
  async idle(): Promise<void> {
    await this.tail;
  }
}
