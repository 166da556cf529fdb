/** What is in the store, by category and tag. */
import type { ReactNode } from "react";

import type { Prop } from "../api/client";

const word = (chosen: boolean) =>
  `block w-full rounded-sm px-2 py-0.5 text-left ${chosen ? "bg-wash font-semibold" : "hover:bg-card"}`;

export function Categories(given: {
  props: Prop[];
  category: string | null;
  tag: string | null;
  /** Those of the category. */
  tags: string[];
  onChoose: (category: string | null, tag: string | null) => void;
  children?: ReactNode;
}) {
  const { props, category, tag, tags, onChoose } = given;
  const categories = [...new Set(props.map((p) => p.category))].sort();
  return (
    <aside aria-label="Categories" className="text-[15px]">
      <button type="button" className={word(!category)} onClick={() => onChoose(null, null)}>
        everything <span className="figure text-quiet">{props.length}</span>
      </button>
      {categories.map((c) => (
        <div key={c}>
          <button type="button" className={word(category === c && !tag)} onClick={() => onChoose(c, null)}>
            {c} <span className="figure text-quiet">{props.filter((p) => p.category === c).length}</span>
          </button>
          {category === c &&
            tags.map((t) => (
              <button
                key={t}
                type="button"
                className={`${word(tag === t)} pl-6 text-[14px]`}
                onClick={() => onChoose(c, t)}
              >
                {t}
              </button>
            ))}
        </div>
      ))}
      {given.children}
    </aside>
  );
}
