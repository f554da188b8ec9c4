import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react()],
  // Nothing is folded into the page as data: the page's policy lets only our own files load.
  build: { assetsInlineLimit: 0, chunkSizeWarningLimit: 1500, target: "es2022" },
});
