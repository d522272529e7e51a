import { fileURLToPath } from "node:url";
import vue from "@vitejs/plugin-vue";
import { ElementPlusResolver } from "unplugin-vue-components/resolvers";
import Components from "unplugin-vue-components/vite";
import { defineConfig } from "vite";
import { compression, defineAlgorithm } from "vite-plugin-compression2";
import { VitePWA } from "vite-plugin-pwa";
import { KEPT_ANSWERS } from "./src/offline/kept.ts";

export default defineConfig({
  plugins: [
    vue(),
    // Element Plus component by component; our own components are imported by hand.
    // Each file compressed as far as it goes, once, beside the plain one.
    compression({ algorithms: [defineAlgorithm("brotliCompress")], include: /\.(js|css|svg|wasm)$/, threshold: 1024 }),
    VitePWA({
      registerType: "prompt",
      injectRegister: null,
      manifest: {
        name: "Impulso",
        short_name: "Impulso",
        description: "Fitness tests: measured, worked out, compared and planned.",
        start_url: "/",
        display: "standalone",
        background_color: "#f7f5f0",
        theme_color: "#17262b",
        icons: [{ src: "/icon.svg", sizes: "any", type: "image/svg+xml", purpose: "any" }],
      },
      workbox: {
        globPatterns: ["**/*.{js,css,html,svg,wasm,woff2}"],
        navigateFallback: "/index.html",
        navigateFallbackDenylist: [/^\/api\//],
        cleanupOutdatedCaches: true,
        // The first one takes over at once; a newer one waits until it is asked.
        clientsClaim: true,
        runtimeCaching: [
          {
            // What pages without a network ask for. Nothing that streams, nothing of links that need no account.
            urlPattern: ({ url, sameOrigin }) =>
              sameOrigin &&
              /^\/api\/(session|today|prepared|equipment|protocols|batteries|(people|groups)(\/[^/]+)?|people\/[^/]+\/(assess\/[^/]+|batteries|readiness|visits\/new)|visits\/[^/]+(\/prepared)?|group-visits\/[^/]+|runs\/[^/]+(\/pictures|\/log)?)$/.test(
                url.pathname,
              ),
            handler: "NetworkFirst",
            options: {
              cacheName: KEPT_ANSWERS,
              expiration: { maxEntries: 800, maxAgeSeconds: 2 * 24 * 3600, purgeOnQuotaError: true },
              cacheableResponse: { statuses: [200] },
              plugins: [
                {
                  // The page says of a kept answer when it was given.
                  cachedResponseWillBeUsed: async ({ cachedResponse }) => {
                    if (!cachedResponse) return cachedResponse;
                    const headers = new Headers(cachedResponse.headers);
                    headers.set("x-kept", headers.get("date") ?? "");
                    return new Response(cachedResponse.body, { status: cachedResponse.status, headers });
                  },
                },
              ],
            },
          },
        ],
      },
    }),
    Components({ dirs: [], dts: "src/components.d.ts", resolvers: [ElementPlusResolver({ importStyle: "css" })] }),
  ],
  resolve: { alias: { "@": fileURLToPath(new URL("./src", import.meta.url)) } },
  build: { target: "es2022", chunkSizeWarningLimit: 700 },
  server: { proxy: { "/api": "http://127.0.0.1:8420" } },
});
