/** Lists from the server in menus: what is there, that it is still coming, or why it is not there. */
import type { UseQueryResult } from "@tanstack/react-query";
import type { MenuItem } from "./controls";

/** The items of a list; while it comes or where it failed, a line that says so, and a way to try again. */
export function listed<T>(query: UseQueryResult<T[]>, what: string, item: (of: T) => MenuItem): MenuItem[] {
  if (query.data) return query.data.map(item);
  const nothing = () => undefined;
  if (query.isError) {
    return [
      { label: `${what} could not be loaded: ${query.error.message}`, disabled: true, run: nothing },
      { label: "Try again", run: () => void query.refetch().catch(nothing) },
    ];
  }
  return query.fetchStatus === "fetching" ? [{ label: `${what} are loading…`, disabled: true, run: nothing }] : [];
}
