import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { BrowserRouter } from "react-router";
import { App } from "./App";
import { Refusal } from "./data/client";
import { applyTheme } from "./data/preferences";
import "./styles.css";
import { NoticeBoard } from "./ui/Notice";

applyTheme();

// "always": the server is this machine itself, there with and without a network.
const queries = new QueryClient({
  defaultOptions: {
    mutations: { networkMode: "always" },
    queries: {
      networkMode: "always",
      staleTime: 30_000,
      retry: (_, error) => error instanceof Refusal && ["offline", "database"].includes(error.code),
      retryDelay: 1000,
    },
  },
});

const place = document.getElementById("page");
if (place) {
  createRoot(place).render(
    <StrictMode>
      <QueryClientProvider client={queries}>
        <BrowserRouter>
          <NoticeBoard>
            <App />
          </NoticeBoard>
        </BrowserRouter>
      </QueryClientProvider>
    </StrictMode>,
  );
}
