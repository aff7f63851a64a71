// What the modules ask of a browser as they are loaded: a storage that holds nothing, and a window.
const storage = { length: 0, key: () => null, getItem: () => null, setItem: () => undefined, removeItem: () => undefined };
Object.assign(globalThis, { localStorage: storage, window: globalThis, addEventListener: () => undefined });
