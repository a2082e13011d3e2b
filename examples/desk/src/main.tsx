import { QueryClientProvider } from "@tanstack/react-query";
import { RouterProvider } from "@tanstack/react-router";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { listen } from "./app/live.js";
import { router } from "./app/routes.js";
import { queries } from "./app/server.js";
import "./styles/tokens.css";
import "./styles/base.css";

void listen();
createRoot(document.getElementById("desk")!).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <RouterProvider router={router} />
    </QueryClientProvider>
  </StrictMode>,
);
