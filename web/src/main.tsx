import "./app.css";

import { QueryClient, QueryClientProvider, useQuery } from "@tanstack/react-query";
import { Tooltip } from "radix-ui";
import { StrictMode, Suspense, lazy } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter, Route, Routes } from "react-router";
import { Toaster } from "sonner";

import { type Schemas, ServerError, client, wanted } from "./api/client";
import SetsPage from "./sets/SetsPage";
import { SignIn } from "./sets/SignIn";

const StagePage = lazy(() => import("./shell/StagePage"));
const StorePage = lazy(() => import("./store/StorePage"));
const BenchPage = lazy(() => import("./bench/BenchPage"));
const queries = new QueryClient({ defaultOptions: { queries: { retry: 1 } } });

function App() {
  const visitor = useQuery({
    queryKey: ["visitor"],
    queryFn: () => wanted<Schemas["VisitorSchema"]>(client.GET("/api/visitor")),
    retry: false,
    staleTime: Infinity,
  });
  if (visitor.isPending) return null;
  if (visitor.error instanceof ServerError && visitor.error.status === 401)
    return <SignIn onDone={() => void visitor.refetch()} />;
  if (visitor.error)
    return (
      <main className="grid h-full place-items-center">
        <p>
          {visitor.error.message}{" "}
          <button type="button" className="word" onClick={() => void visitor.refetch()}>
            Try again
          </button>
        </p>
      </main>
    );
  return (
    <Suspense fallback={<main className="grid h-full place-items-center text-quiet">coming up…</main>}>
      <Routes>
        <Route path="/" element={<SetsPage />} />
        <Route path="/sets/:key" element={<StagePage />} />
        <Route path="/store" element={<StorePage />} />
        <Route path="/bench/:key" element={<BenchPage />} />
        <Route path="*" element={<SetsPage />} />
      </Routes>
    </Suspense>
  );
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
