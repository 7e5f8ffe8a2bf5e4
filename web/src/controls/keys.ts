import type { Component, InjectionKey } from "vue";

/** What stands beside a field of a form if its value can move; forms of what never moves have none. */
export const KEY_MARK: InjectionKey<Component> = Symbol("key mark");
