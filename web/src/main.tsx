import "@fontsource-variable/atkinson-hyperlegible-next";
import "@fontsource-variable/atkinson-hyperlegible-mono";
import "./styles";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { createBrowserRouter, RouterProvider } from "react-router";
import { ASK_AGAIN_AFTER_MS, askAgain } from "./api/retrying";
import { Enter } from "./app/entry/Enter";
import { Gate } from "./app/entry/Gate";
import { FirstPlace } from "./app/FirstPlace";
import { Shell } from "./app/Shell";
import { ChangesProvider } from "./parts/Changes";
import { ConfirmProvider } from "./parts/Confirm";
import { readMenu } from "./parts/menu/Menu";
import { Missing } from "./parts/Notice";
import { SaidProvider } from "./parts/Said";
import { PLACES, readAhead } from "./places/routes";
import { ProjectProvider } from "./state/project";
import { ThemeProvider } from "./state/theme";

const client = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      retry: askAgain,
      retryDelay: ASK_AGAIN_AFTER_MS,
    },
  },
});

const router = createBrowserRouter([
  {
    path: "/",
    element: <Shell />,
    children: [{ index: true, element: <FirstPlace /> }, PLACES, { path: "*", element: <Missing /> }],
  },
]);

createRoot(document.getElementById("root") as HTMLElement).render(
  <StrictMode>
    <ThemeProvider>
      <SaidProvider>
        <QueryClientProvider client={client}>
          {window.location.pathname === "/enter" ? (
            <Enter />
          ) : (
            <Gate>
              <ProjectProvider>
                <ConfirmProvider>
                  <ChangesProvider>
                    <RouterProvider router={router} />
                  </ChangesProvider>
                </ConfirmProvider>
              </ProjectProvider>
            </Gate>
          )}
        </QueryClientProvider>
      </SaidProvider>
    </ThemeProvider>
  </StrictMode>,
);

readAhead(3_000, readMenu);
