import { fileURLToPath } from "node:url";
import vue from "@vitejs/plugin-vue";
import { ElementPlusResolver } from "unplugin-vue-components/resolvers";
import Components from "unplugin-vue-components/vite";
import { defineConfig } from "vite";
import { compression, defineAlgorithm } from "vite-plugin-compression2";

export default defineConfig({
  plugins: [
    vue(),
    // Element Plus component by component; our own components are imported by hand.
    // Each file compressed as far as it goes, once, beside the plain one.
    compression({ algorithms: [defineAlgorithm("brotliCompress")], include: /\.(js|css|svg|wasm)$/, threshold: 1024 }),
    Components({ dirs: [], dts: "src/components.d.ts", resolvers: [ElementPlusResolver({ importStyle: "css" })] }),
  ],
  resolve: { alias: { "@": fileURLToPath(new URL("./src", import.meta.url)) } },
  build: { target: "es2022", chunkSizeWarningLimit: 700 },
  server: { proxy: { "/api": "http://127.0.0.1:8420" } },
});
