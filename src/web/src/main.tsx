import "bootstrap/dist/css/bootstrap.min.css";
import "@fontsource-variable/fraunces/soft.css";
import "@fontsource/atkinson-hyperlegible/400.css";
import "@fontsource/atkinson-hyperlegible/700.css";
import "@fontsource/atkinson-hyperlegible-mono/400.css";
import "@fontsource/atkinson-hyperlegible-mono/700.css";
import "./frame/theme.css";
import "./frame/frame.css";
import { MutationCache, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { App } from "./App";
import { ProblemError } from "./shared/api";
import { applyTheme } from "./frame/theme";

applyTheme();

const queries: QueryClient = new QueryClient({
  // Whatever changes something may be taken back.
  mutationCache: new MutationCache({ onSuccess: () => void queries.invalidateQueries({ queryKey: ["edits"] }) }),
  defaultOptions: {
    queries: {
      staleTime: 30_000,
      retry: (count, error) => !(error instanceof ProblemError) && count < 2,
    },
  },
});

const root = document.getElementById("root");
if (root)
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <BrowserRouter>
          <App />
        </BrowserRouter>
      </QueryClientProvider>
    </StrictMode>,
  );
