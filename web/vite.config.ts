import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

const server = process.env.BRICKSEAT_SERVER ?? "http://127.0.0.1:8460";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { outDir: "../server/brickseat/web", emptyOutDir: true, chunkSizeWarningLimit: 900 },
  server: { proxy: { "/api": server, "/ws": { target: server, ws: true } } },
});
