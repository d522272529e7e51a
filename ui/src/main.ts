import "@fontsource-variable/atkinson-hyperlegible-next";
import "@fontsource-variable/atkinson-hyperlegible-mono";
import "element-plus/theme-chalk/base.css";
import "./styles/tokens.css";
import "./styles/base.css";
import "./styles/element.css";
import "./styles/floor.css";
import { createPinia } from "pinia";
import { createApp } from "vue";
import { onSignedOut } from "./api/client";
import App from "./App.vue";
import { router } from "./router";
import { useSession } from "./stores/session";

const app = createApp(App).use(createPinia()).use(router);

onSignedOut(() => {
  const session = useSession();
  if (session.info) session.expired = true;
});

app.mount("#app");
