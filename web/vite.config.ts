import react from "@vitejs/plugin-react";
import { defineConfig, loadEnv } from "vite";

export default defineConfig(({ mode }) => ({
  plugins: [react()],
  // Nothing is folded into the page as data: the page's policy lets only our own files load.
  // The manifest says which files each page takes; a test adds up their sizes.
  build: { assetsInlineLimit: 0, chunkSizeWarningLimit: 1500, target: "es2022", manifest: true },
  // Under `./bodkin dev` questions go on to the application beside it.
  server: { proxy: { "/api": loadEnv(mode, ".", "BODKIN_").BODKIN_API ?? "http://127.0.0.1:8750" } },
}));
