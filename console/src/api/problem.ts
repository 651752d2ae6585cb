/** Why the service, or the way to it, did not do what was asked. */
export class Problem extends Error {
  readonly status: number;
  readonly code: string;
  readonly remedy: string;

  constructor(status: number, code: string, detail: string, remedy: string) {
    super(detail);
    this.status = status;
    this.code = code;
    this.remedy = remedy;
  }
}

/** A problem made of anything that was thrown. */
export function toProblem(error: unknown): Problem {
  if (error instanceof Problem) return error;
  return new Problem(0, 'unexpected', String(error), 'Reload the page.');
}
