/** Where a command says what it has to say. */
export interface Terminal {
  /** results */
  readonly out: (line: string) => void
  /** the rest */
  readonly err: (line: string) => void
  /** How far the work is, 0–1: shown on a terminal, and nowhere else. */
  readonly progress: (share: number, what?: string) => void
  /** Ask something that is answered with yes or no; undefined where nobody can be asked. */
  readonly ask: (question: string) => Promise<boolean | undefined>
}
