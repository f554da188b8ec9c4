/** Starts the client. */
import "@fontsource-variable/literata";
import "@fontsource-variable/atkinson-hyperlegible-next";
import "./look/tokens.css";
import "./look/base.css";
import "./look/frame.css";
import "./look/steps.css";
import "./look/pages.css";
import "./look/views.css";
import "./look/narrow.css";
import { StrictMode } from "react";
import { createRoot } from "react-dom/client";
import { App } from "./app";

const root = document.getElementById("root");
if (root) {
  createRoot(root).render(
    <StrictMode>
      <App />
    </StrictMode>,
  );
}
