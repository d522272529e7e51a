import { fileURLToPath } from "node:url";
import vue from "@vitejs/plugin-vue";
import { ElementPlusResolver } from "unplugin-vue-components/resolvers";
import Components from "unplugin-vue-components/vite";
import { defineConfig } from "vite";

export default defineConfig({
  plugins: [
    vue(),
    // Element Plus component by component; our own components are imported by hand.
    Components({ dirs: [], dts: "src/components.d.ts", resolvers: [ElementPlusResolver({ importStyle: "css" })] }),
  ],
  resolve: { alias: { "@": fileURLToPath(new URL("./src", import.meta.url)) } },
  build: { target: "es2022", chunkSizeWarningLimit: 700 },
  server: { proxy: { "/api": "http://127.0.0.1:8420" } },
});
