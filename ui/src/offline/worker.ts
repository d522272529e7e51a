/** The service worker: keeps the application on this device. A new version takes over between two pages, and never on a floor. */
import { registerSW } from "virtual:pwa-register";
import type { Router } from "vue-router";

const onFloor = (path: string) => /^\/(runs|join)\/|\/floor$/.test(path);

export function keepApplication(router: Router) {
  if (!("serviceWorker" in navigator)) return;
  let isNew = false;
  const update = registerSW({ onNeedRefresh: () => (isNew = true) });
  router.afterEach((to, from) => {
    if (isNew && !onFloor(to.path) && !onFloor(from.path)) void update(true);
  });
}
