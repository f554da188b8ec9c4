/** Starts the client. */
import "@fontsource-variable/literata";
import "@fontsource-variable/atkinson-hyperlegible-next";
import "./styles/base.css";
import "./styles/frame.css";
import "./styles/steps.css";
import "./styles/pages.css";
import "./styles/import-desk.css";
import "./styles/views.css";
import "./styles/utilities.css";
import "./styles/narrow.css";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { App } from "./app";
import { installTokens } from "./styles/tokens";

installTokens();
const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <App />
    </StrictMode>,
  );
}
