import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [react()],
  build: {
    target: "es2022",
    chunkSizeWarningLimit: 1400,
    rolldownOptions: {
      output: {
        // What many pages share comes as one file: two dozen small ones took longer to ask for than to send.
        // The stage and the charts stay apart, as the first page needs neither.
        codeSplitting: { groups: [{ name: "base", test: /node_modules\/(?!three|@react-three|three-stdlib|@mui\/x-|d3-)/, minShareCount: 3 }] },
      },
    },
  },
  server: { proxy: { "/api": "http://127.0.0.1:8420" } },
});
