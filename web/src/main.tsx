import { QueryClient } from "@tanstack/react-query";
import { createAsyncStoragePersister } from "@tanstack/query-async-storage-persister";
import { PersistQueryClientProvider } from "@tanstack/react-query-persist-client";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { createBrowserRouter, RouterProvider } from "react-router";
import { Problem } from "./api/client";
import { App } from "./app/App";
import { answers } from "./app/store";
import "./styles.css";

const WEEK = 7 * 24 * 3_600_000;
/** Answers that a job needs to open while the server is away. */
const KEPT = new Set(["session", "jobs", "catalogue", "plan", "summary", "prediction", "terrain", "day", "book"]);

const client = new QueryClient({
  defaultOptions: {
    queries: {
      networkMode: "always",
      gcTime: WEEK,
      refetchOnWindowFocus: false,
      staleTime: 60_000,
      retry: (count, error) => count < 1 && !(error instanceof Problem && error.status >= 400 && error.status < 500),
    },
  },
});
const persister = createAsyncStoragePersister({ storage: answers, key: "answers", throttleTime: 500 });
const router = createBrowserRouter([
  { path: "/", element: <App /> },
  { path: "/rules", element: <App page="rules" /> },
  { path: "/jobs/:jobId/:station?/:view?", element: <App /> },
  { path: "*", element: <App /> },
]);

document.documentElement.dataset.theme = localStorage.getItem("kardo-theme") ?? "light";
if (import.meta.env.PROD && "serviceWorker" in navigator) void navigator.serviceWorker.register("/sw.js");
createRoot(document.getElementById("root")!).render(
  <StrictMode>
    <PersistQueryClientProvider
      client={client}
      persistOptions={{
        persister,
        maxAge: WEEK,
        buster: "5",
        dehydrateOptions: {
          shouldDehydrateQuery: (query) => query.state.status === "success" && KEPT.has(String(query.queryKey[0])),
        },
      }}
      onSuccess={() => void client.invalidateQueries()}
    >
      <RouterProvider router={router} />
    </PersistQueryClientProvider>
  </StrictMode>,
);
