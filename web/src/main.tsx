import "./app.css";

import { MutationCache, QueryClient, QueryClientProvider, useQuery } from "@tanstack/react-query";
import { Tooltip } from "radix-ui";
import { StrictMode, Suspense, lazy, useEffect, useRef } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Route, Routes } from "react-router";
import { Toaster } from "sonner";

import { type Schemas, ServerError, client, wanted } from "./api/client";
import { reportUncaught } from "./api/reporting";
import { onSessionEnd, sessionGoesOn } from "./api/session";
import SetsPage from "./sets/SetsPage";
import { SignIn, SignInAgain } from "./sets/SignIn";
import { MayBreak } from "./shell/MayBreak";
import { tell } from "./ui/telling";

const StagePage = lazy(() => import("./shell/StagePage"));
const StorePage = lazy(() => import("./store/StorePage"));
const BenchPage = lazy(() => import("./bench/BenchPage"));
const queries = new QueryClient({
  defaultOptions: { queries: { retry: 1 } },
  // What is said beside the button itself is not said twice.
  mutationCache: new MutationCache({
    onError: (problem, _given, _context, { meta }) => {
      if (!meta?.saidBeside) tell(problem);
    },
  }),
});
reportUncaught();

function App() {
  const visitor = useQuery({
    queryKey: ["visitor"],
    queryFn: () => wanted<Schemas["VisitorSchema"]>(client.GET("/api/visitor")),
    retry: false,
    staleTime: Infinity,
    // Somebody may have signed in again in another window.
    refetchOnWindowFocus: ({ state }) => (state.status === "error" ? "always" : false),
  });
  const { refetch } = visitor;
  const name = useRef<string | null>(null);
  useEffect(() => onSessionEnd(() => void refetch({ cancelRefetch: false }).then(goOn)), [refetch]);
  // Whoever signs in as somebody else gets pages of their own.
  useEffect(() => {
    if (!visitor.data) return;
    if (name.current !== null && name.current !== visitor.data.name) location.reload();
    name.current = visitor.data.name;
  }, [visitor.data]);
  const away = visitor.error instanceof ServerError && visitor.error.status === 401;
  if (visitor.isPending) return null;
  if (away && !visitor.data) return <SignIn onDone={() => void visitor.refetch()} />;
  if (!visitor.data)
    return (
      <main className="grid h-full place-items-center">
        <p>
          {visitor.error?.message}{" "}
          <button type="button" className="word" onClick={() => void visitor.refetch()}>
            Try again
          </button>
        </p>
      </main>
    );
  return (
    <MayBreak what="This page">
      <Suspense fallback={<main className="grid h-full place-items-center text-quiet">coming up…</main>}>
        <Routes>
          <Route path="/" element={<SetsPage />} />
          <Route path="/sets/:key" element={<StagePage />} />
          <Route path="/store" element={<StorePage />} />
          <Route path="/bench/:key" element={<BenchPage />} />
          <Route path="*" element={<SetsPage />} />
        </Routes>
      </Suspense>
      {away && <SignInAgain onDone={() => void refetch().then(goOn)} />}
    </MayBreak>
  );
}

/** Somebody is signed in again: what was not answered meanwhile is asked once more. */
function goOn({ isSuccess }: { isSuccess: boolean }): void {
  if (!isSuccess) return;
  sessionGoesOn();
  void queries.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== "visitor" });
}

createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <Tooltip.Provider>
        <BrowserRouter>
          <App />
        </BrowserRouter>
      </Tooltip.Provider>
      <Toaster
        position="bottom-left"
        offset={{ bottom: 112, left: 304 }}
        toastOptions={{ style: { fontFamily: "inherit" } }}
      />
    </QueryClientProvider>
  </StrictMode>,
);
