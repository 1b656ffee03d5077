import type { ErrorRequestHandler, RequestHandler } from "express";
import type { Schema } from "joi";

/** An answer that is not the one asked for, as problem details (RFC 9457). */
export class Problem extends Error {
  /**
   * @param status HTTP status
   * @param code last part of the problem's type, for programs
   * @param detail what was wrong, where, and what would be right, for people
   */
  constructor(
    readonly status: number,
    readonly code: string,
    readonly detail: string,
  ) {
    super(detail);
    this.name = "Problem";
  }
}

/** Checks what came in. @throws Problem 400 that names every fault */
export function accept<T>(schema: Schema<T>, value: unknown, what: string): T {
  // A request without a body is no exception.
  const { error, value: checked } = schema.required().validate(value, { abortEarly: false, convert: true });
  if (error) throw new Problem(400, "invalid", `${what}: ${error.details.map(({ message }) => message).join("; ")}`);
  return checked as T;
}

export const notFound: RequestHandler = (request) => {
  throw new Problem(404, "not-found", `There is no ${request.method} ${request.originalUrl}`);
};

/** Turns anything thrown into problem details. */
export const answerProblem: ErrorRequestHandler = (error: unknown, request, response, next) => {
  if (response.headersSent) {
    next(error);
    return;
  }
  const problem = asProblem(error);
  if (problem.status === 500) console.error(`${request.method} ${request.path}:`, error);
  response
    .status(problem.status)
    .type("application/problem+json")
    .send(
      JSON.stringify({
        type: `about:blank#${problem.code}`,
        title: problem.code,
        status: problem.status,
        detail: problem.detail,
      }),
    );
};

function asProblem(error: unknown): Problem {
  if (error instanceof Problem) return error;
  const { status, code, message } = error as { status?: number; code?: string; message?: string };
  if (code === "ENOSPC")
    return new Problem(
      507,
      "drive-full",
      "The drive of the disk cache is full; frames are not stored until space is free",
    );
  if (code === "ECONNRESET") return new Problem(400, "broken-off", "The request was broken off; nothing was changed");
  if (typeof status === "number" && status >= 400 && status < 500)
    return new Problem(status, "invalid", String(message));
  return new Problem(500, "failed", "The server failed; its output says why");
}
