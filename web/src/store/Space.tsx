/** How much of the store the visitor's props take, and what of it the shelves do not show: each is named, and freed where nothing needs it. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { askAgain } from "../api/askAgain";
import { type Schemas, client, wanted } from "../api/client";
import { inMegabytes } from "../trolley/budget";

const SHOWN = 200;

/** Why it is kept. */
function why({ standing, undoable }: Schemas["UnlistedSchema"]): string {
  if (standing) return `${standing} on sets`;
  return undoable ? "kept for an undo" : "stands nowhere";
}

export function Space() {
  const queries = useQueryClient();
  const { data } = useQuery({
    queryKey: ["space"],
    queryFn: () => wanted<Schemas["SpaceSchema"]>(client.GET("/api/store/space")),
  });
  const after = async () => {
    await askAgain(queries, ["space"]);
    await askAgain(queries, ["props"]);
  };
  const free = useMutation({
    mutationFn: (key: string) => wanted(client.DELETE("/api/props/{key}", { params: { path: { key } } })),
    onSuccess: after,
  });
  const freeAll = useMutation({
    mutationFn: () => wanted(client.DELETE("/api/store/unused")),
    onSuccess: after,
  });
  if (!data) return null;
  const { unlisted } = data;
  const unused = unlisted.filter((p) => !p.standing && !p.undoable);
  return (
    <section aria-label="Space" className="mt-5 border-t border-rule pt-3 text-[14px]">
      <h2 className="font-semibold">Space</h2>
      <p className="figure">
        {data.props} of {data.most_props.toLocaleString()} props
        <br />
        {inMegabytes(data.bytes)} of {inMegabytes(data.most_bytes)}
      </p>
      {unused.length > 0 && (
        <p className="mt-1 text-quiet">
          {unused.length} of them are not on the shelves and stand nowhere.{" "}
          <button type="button" className="word" onClick={() => freeAll.mutate()}>
            free them
          </button>
        </p>
      )}
      {unlisted.length > 0 && (
        <details className="mt-1">
          <summary className="cursor-pointer hover:text-clay-deep">
            {unlisted.length} not on the shelves
          </summary>
          <ul className="mt-1 divide-y divide-rule text-[13.5px] leading-snug">
            {unlisted.slice(0, SHOWN).map((p) => (
              <li key={p.key} className="py-1">
                {p.name}
                <br />
                <span className="text-quiet">
                  <span className="figure">{inMegabytes(p.size)}</span>, {why(p)}
                  {p.of && `, of ${p.of}`}
                </span>{" "}
                {!p.standing && !p.undoable && (
                  <button type="button" className="word" onClick={() => free.mutate(p.key)}>
                    free
                  </button>
                )}
              </li>
            ))}
            {unlisted.length > SHOWN && (
              <li className="py-1 text-quiet">and {unlisted.length - SHOWN} more</li>
            )}
          </ul>
        </details>
      )}
    </section>
  );
}
