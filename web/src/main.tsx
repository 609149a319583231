import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { RouterProvider } from "@tanstack/react-router";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { ProblemError } from "./api/client";
import { router } from "./router";
import "./theme.css";
import { applyTheme } from "./ui/theme";

const client = new QueryClient({
  defaultOptions: {
    // The server is on this machine, or near: whether there is a network says nothing of it.
    mutations: { networkMode: "always" },
    queries: {
      networkMode: "always",
      // What changes is told by events; asking again on every focus would be noise.
      refetchOnWindowFocus: false,
      staleTime: 5 * 60_000,
      retry: (n, e) => n < 2 && !(e instanceof ProblemError && !["unreachable", "database_away"].includes(e.code)),
    },
  },
});

applyTheme();

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
