import type { QueryClient, QueryKey } from "@tanstack/react-query";

/** Ask again what is shown. An answer still on its way was given before what has changed now, and the first of its kind would not be asked
 * for again by invalidating alone. */
export async function askAgain(client: QueryClient, queryKey: QueryKey) {
  await client.cancelQueries({ queryKey });
  await client.invalidateQueries({ queryKey });
}
