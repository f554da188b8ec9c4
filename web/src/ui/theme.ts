/** Ant Design on our tokens: its own defaults should not be recognisable. */
import type { ThemeConfig } from "antd";
import { theme as antd } from "antd";

export type Theme = "light" | "dark";

export function antTheme(which: Theme): ThemeConfig {
  const dark = which === "dark";
  const ink = dark ? "#ece6d9" : "#1f2a37";
  const line = dark ? "#38414c" : "#e4ddcf";
  const rule = dark ? "#7d735e" : "#b9ac93";
  const panel = dark ? "#20262e" : "#ffffff";
  const paper = dark ? "#1a1f26" : "#faf7f1";
  return {
    algorithm: dark ? antd.darkAlgorithm : antd.defaultAlgorithm,
    hashed: false,
    token: {
      colorPrimary: ink,
      colorText: ink,
      colorBgBase: panel,
      colorBgElevated: panel,
      colorBgContainer: panel,
      colorTextPlaceholder: dark ? "#b0a996" : "#6b6558",
      colorIcon: dark ? "#b0a996" : "#6b6558",
      colorTextQuaternary: dark ? "#b0a996" : "#6b6558",
      colorBorder: rule,
      colorBorderSecondary: line,
      controlItemBgActive: paper,
      controlItemBgHover: paper,
      borderRadius: 3,
      borderRadiusLG: 3,
      borderRadiusSM: 3,
      boxShadowSecondary: `0 0 0 1px ${line}`,
      fontFamily: "var(--sans)",
      fontSize: 14,
      motion: false,
      controlOutline: "transparent",
    },
    components: {
      Tooltip: { colorBgSpotlight: panel, colorTextLightSolid: ink },
      Select: { optionSelectedBg: paper, multipleItemBg: paper },
    },
  };
}
