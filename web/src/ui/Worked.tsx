/** A figure that tells, on hover and on focus, the very numbers that went into it. */
import { Tooltip } from "antd";
import type { ReactElement } from "react";

/** ``children`` is one element that can take the focus; without a text it stands as it is. */
export function Worked({ text, children }: { text: string | null | undefined; children: ReactElement }) {
  if (!text) return children;
  return (
    <Tooltip
      title={text}
      trigger={["hover", "focus"]}
      placement="bottomLeft"
      arrow={false}
      mouseEnterDelay={0.25}
      styles={{ root: { maxWidth: 400, whiteSpace: "pre-line", fontSize: 13 } }}
    >
      {children}
    </Tooltip>
  );
}
