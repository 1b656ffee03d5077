/** Why a file was not brought in: what is wrong first in a sentence, the rest in lines of its own below it. */
export function refusalText(fileName: string, error: unknown): string {
  const [first, ...rest] = (error instanceof Error ? error.message : String(error)).split("\n");
  return [`${fileName} was not imported: ${first!.replace(/\.$/, "")}.`, ...rest].join("\n");
}
