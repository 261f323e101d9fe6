import { createContext, useContext, type Context } from "react";

/** A context that has to be there: a hook that says so where it is not. */
export function required<T>(context: Context<T | null>, name: string): () => T {
  return () => {
    const value = useContext(context);
    if (!value) throw new Error(`${name} outside of its provider`);
    return value;
  };
}

export const empty = <T>() => createContext<T | null>(null);
