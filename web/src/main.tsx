import { MutationCache, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { RouterProvider } from "@tanstack/react-router";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { ProblemError } from "./api/client";
import { router } from "./router";
import "./theme.css";
import { failed, mended } from "./ui/notes";
import { applyTheme } from "./ui/theme";
import { rememberTyping } from "./ui/typed";

// What each change is about: its failure is a note about that, which goes when the next of its kind goes well.
declare module "@tanstack/react-query" {
  interface Register {
    mutationMeta: { about: string };
  }
}

/** What was tried, in the words of the interface, where a change says it. */
const tried = (error: unknown, variables: unknown) =>
  error instanceof ProblemError && error.tried
    ? error.tried
    : typeof variables === "object" && variables && "what" in variables
      ? String(variables.what)
      : undefined;

const client = new QueryClient({
  mutationCache: new MutationCache({
    onError: (error, variables, _, m) => {
      if (m.meta) failed(m.meta.about, error, tried(error, variables));
    },
    onSuccess: (_data, _variables, _context, m) => {
      if (m.meta) mended(m.meta.about);
    },
  }),
  defaultOptions: {
    // The server is on this machine, or near: whether there is a network says nothing of it.
    mutations: { networkMode: "always" },
    queries: {
      networkMode: "always",
      // What changes is told by events; asking again on every focus would be noise.
      refetchOnWindowFocus: false,
      staleTime: 5 * 60_000,
      retry: (n, e) =>
        n < 2 && !(e instanceof ProblemError && !["unreachable", "database_away", "contended"].includes(e.code)),
    },
  },
});

applyTheme();
rememberTyping(document);

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={client}>
        <RouterProvider router={router} />
      </QueryClientProvider>
    </StrictMode>,
  );
}
