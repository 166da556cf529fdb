import type { PropDetail } from "../api/client";
import type { Changes } from "./changes";
import { Words } from "./Words";

interface Props {
  detail: PropDetail;
  set: (changes: Changes) => void;
}

/** Its name, where it is kept, and what is asked about it. */
export function Naming({ detail, set }: Props) {
  const { prop } = detail;
  return (
    <>
      <p>
        This is <Words label="name" value={prop.name} wide onDone={(name) => name && set({ name })} />, kept
        with{" "}
        <Words label="category" value={prop.category} onDone={(category) => category && set({ category })} />,
        tagged{" "}
        <Words
          label="tags, with commas between"
          value={prop.tags.join(", ")}
          wide
          onDone={(text) =>
            set({
              tags: text
                .split(",")
                .map((t) => t.trim())
                .filter(Boolean),
            })
          }
        />
        .
      </p>
      {detail.questions.map((q) => (
        <p key={q.about} className="mt-2 border-l-4 border-clay bg-card px-3 py-1.5">
          {q.text}{" "}
          <button
            type="button"
            className="word"
            onClick={() => set(q.about === "unit" ? { unit: q.proposal as Changes["unit"] } : { up: "z" })}
          >
            {q.about === "up"
              ? "yes, stand it up"
              : q.proposal === "m"
                ? "it is right"
                : `take it in ${q.proposal}`}
          </button>
        </p>
      ))}
    </>
  );
}
