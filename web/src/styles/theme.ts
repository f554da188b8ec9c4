/** Ant Design on our tokens: its own defaults should not be recognisable. */
import type { ThemeConfig } from "antd";
import { theme as antd } from "antd";
import { COLORS, type Theme } from "./tokens";

export function antTheme(which: Theme): ThemeConfig {
  const dark = which === "dark";
  const { ink, line, rule, panel, paper, quiet } = COLORS[which];
  return {
    algorithm: dark ? antd.darkAlgorithm : antd.defaultAlgorithm,
    hashed: false,
    token: {
      colorPrimary: ink,
      colorText: ink,
      colorBgBase: panel,
      colorBgElevated: panel,
      colorBgContainer: panel,
      colorTextPlaceholder: quiet,
      colorIcon: quiet,
      colorTextQuaternary: quiet,
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
