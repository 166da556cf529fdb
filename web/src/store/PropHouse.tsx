/** The prop house: made-up props that can be ordered, and come a little later. */
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";

import { type HouseItem, client, wanted } from "../api/client";
import { askAgain } from "../api/askAgain";

const LOOK_AGAIN_MS = 1000;

export function PropHouse() {
  const queries = useQueryClient();
  const { data, error, isPending } = useQuery({
    queryKey: ["prop house"],
    queryFn: async () => {
      const found = await wanted<HouseItem[]>(client.GET("/api/prop-house"));
      void askAgain(queries, ["props"]);
      return found;
    },
    refetchInterval: (query) =>
      query.state.data?.some((i) => i.state === "ordered") ? LOOK_AGAIN_MS : false,
  });
  const order = useMutation({
    meta: { saidBeside: true },
    mutationFn: (item: string) =>
      wanted(client.POST("/api/prop-house/{item}", { params: { path: { item } } })),
    onSuccess: () => askAgain(queries, ["prop house"]),
  });
  return (
    <section aria-label="Prop house">
      <p className="mb-4 max-w-xl">
        A supplier across the valley. What you order is delivered into the store, measured and weighed like
        any other prop.
      </p>
      {isPending && <p className="text-quiet">asking what they have…</p>}
      {error && <p className="text-clay-deep">{error.message}</p>}
      {order.error && <p className="text-clay-deep">{order.error.message}</p>}
      <ul className="grid grid-cols-[repeat(auto-fill,minmax(250px,1fr))] gap-3">
        {data?.map((item) => (
          <li key={item.key} className="flex flex-col rounded-sm border border-rule bg-card px-4 py-3">
            <h3 className="font-semibold">{item.name}</h3>
            <p className="text-quiet">{item.says}</p>
            <p className="mt-auto pt-2 text-[14px]" aria-live="polite">
              {item.state === "there" && (
                <button type="button" className="word" onClick={() => order.mutate(item.key)}>
                  Order it
                </button>
              )}
              {item.state === "ordered" && <span className="text-quiet">ordered; it is on its way…</span>}
              {item.state === "delivered" && (
                <Link to={`/bench/${item.prop}`} className="word">
                  delivered: look at it on the bench
                </Link>
              )}
            </p>
          </li>
        ))}
      </ul>
    </section>
  );
}
