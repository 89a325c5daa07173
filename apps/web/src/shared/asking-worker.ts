/** What a worker that answers questions gets, and gives. */
export interface Numbered<T> {
  number: number;
  message: T;
}

/** Asks a worker, each question by its number; the worker is made when it is first asked and again after it has died. */
export class AskingWorker<Question, Answer> {
  private worker: Worker | null = null;
  private readonly waiting = new Map<number, (answer: Answer) => void>();
  private count = 0;

  /** @param make a new worker @param lost what is answered to whatever a dying worker left open */
  constructor(
    private readonly make: () => Worker,
    private readonly lost: Answer,
  ) {}

  ask(question: Question): Promise<Answer> {
    this.worker ??= this.begin();
    const number = this.count++;
    return new Promise((resolve) => {
      this.waiting.set(number, resolve);
      this.worker!.postMessage({ number, message: question } satisfies Numbered<Question>);
    });
  }

  /** Lets the worker go; what is open is never answered. */
  end(): void {
    this.worker?.terminate();
    this.worker = null;
    this.waiting.clear();
  }

  private begin(): Worker {
    const worker = this.make();
    worker.onmessage = ({ data }: MessageEvent<Numbered<Answer>>) => {
      this.waiting.get(data.number)?.(data.message);
      this.waiting.delete(data.number);
    };
    worker.onerror = () => {
      this.worker = null;
      const open = [...this.waiting.values()];
      this.waiting.clear();
      open.forEach((tell) => tell(this.lost));
    };
    return worker;
  }
}

/** The worker's side: answers every question with what `answer` gives, in the order in which that is ready. */
export function answerQuestions<Question, Answer>(
  answer: (question: Question) => Promise<Answer>,
  failed: (reason: string) => Answer,
): void {
  self.onmessage = ({ data }: MessageEvent<Numbered<Question>>): void => {
    const post = (message: Answer): void =>
      (self as unknown as Worker).postMessage({ number: data.number, message } satisfies Numbered<Answer>);
    answer(data.message)
      .then(post)
      .catch((e: unknown) => post(failed(e instanceof Error ? e.message : String(e))));
  };
}
