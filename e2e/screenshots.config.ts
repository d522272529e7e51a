import config from "./playwright.config";

// Not a test: pictures for the README.
export default { ...config, testDir: "screenshots" };
