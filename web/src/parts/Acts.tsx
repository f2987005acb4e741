/** What only somebody who may change things is offered; readers and guests do not see it. */
import type { ReactNode } from "react";
import { useMayChange } from "../api/people";

export function Acts(props: { children: ReactNode }) {
  return useMayChange() ? props.children : null;
}
