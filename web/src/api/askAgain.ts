/** What was fetched is not true any more: fetch it anew. */
import type { QueryClient, QueryKey } from "@tanstack/react-query";

/** Also where its first answer is still on the way: that one may be from before the change, and would be taken for the truth.
 * `exact`: this one alone, not those whose keys begin with it. */
export async function askAgain(queries: QueryClient, queryKey: QueryKey, exact = false): Promise<void> {
  await queries.cancelQueries({ queryKey, exact });
  await queries.invalidateQueries({ queryKey, exact });
}
