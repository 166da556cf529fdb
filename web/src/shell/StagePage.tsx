/** The main view of one set: fetched once and then kept by its mirror. */
import { useEffect, useState } from "react";
import { Link, useParams } from "react-router";

import { type SetData, client, wanted } from "../api/client";
import type { LineState } from "../api/live";
import { useStage } from "../state";
import { OpenStage } from "./OpenStage";

type Fetched = { key: string; data?: SetData; problem?: string };

const ENDED_WORDS = new Map<LineState, string>([
  ["ended", "This set is no longer open to you."],
  ["crowded", "You have too many stages open. Close one of them, then load this page again."],
]);

export default function StagePage() {
  const { key = "" } = useParams();
  const [fetched, setFetched] = useState<Fetched | null>(null);
  useEffect(
    () =>
      useStage.subscribe(({ line }) => {
        // The stage is taken down with this, and with it its state; what is said of it stays here.
        const problem = ENDED_WORDS.get(line);
        if (problem) setFetched({ key, problem });
      }),
    [key],
  );
  useEffect(() => {
    let wantedStill = true;
    wanted<SetData>(client.GET("/api/sets/{key}", { params: { path: { key } } })).then(
      (data) => wantedStill && setFetched({ key, data }),
      (problem: Error) => wantedStill && setFetched({ key, problem: problem.message }),
    );
    return () => {
      wantedStill = false;
    };
  }, [key]);
  const now = fetched?.key === key ? fetched : null;
  if (now?.problem)
    return (
      <main className="grid h-full place-items-center">
        <div className="max-w-md text-center">
          <p className="text-lg">{now.problem}</p>
          <Link to="/" className="word mt-3 inline-block">
            back to all sets
          </Link>
        </div>
      </main>
    );
  if (!now?.data)
    return (
      <main className="grid h-full place-items-center text-quiet" role="status">
        bringing the set up…
      </main>
    );
  return <OpenStage key={key} data={now.data} />;
}
