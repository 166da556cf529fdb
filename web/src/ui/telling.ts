/** One way to tell the dresser that something did not work. */
import { toast } from "sonner";

export const wordsOf = (problem: unknown): string =>
  problem instanceof Error ? problem.message : String(problem);

export function tell(problem: unknown): void {
  toast.error(wordsOf(problem));
}

/** The answer to what was asked, or null where there is none: why is told. */
export async function told<T>(asked: Promise<T>): Promise<T | null> {
  try {
    return await asked;
  } catch (problem) {
    tell(problem);
    return null;
  }
}
