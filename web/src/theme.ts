import { createSystem, defaultConfig, defineConfig } from "@chakra-ui/react";

const pair = (light: string, dark: string) => ({ value: { _light: light, _dark: dark } });

/** Paper by day, lamp-lit navy by night. */
const config = defineConfig({
  globalCss: {
    "html, body, #root": { height: "100%" },
    body: {
      bg: "table",
      color: "ink",
      fontFamily: "body",
      fontSize: "13px",
      fontVariantNumeric: "tabular-nums",
      overflow: "hidden",
    },
    // Figures of another layout than the one that is shown: one look, everywhere.
    "[data-old], [data-old] *": { fontStyle: "italic", color: "soft !important" },
    "[data-old] canvas": { opacity: 0.45 },
    "*:focus-visible": { outline: "2px solid {colors.petrol}", outlineOffset: "2px" },
  },
  theme: {
    tokens: {
      fonts: {
        heading: { value: "'Fraunces Variable', Georgia, serif" },
        body: { value: "'Atkinson Hyperlegible Next Variable', 'Segoe UI', sans-serif" },
      },
    },
    semanticTokens: {
      colors: {
        ink: pair("#1F2A44", "#EDE6D6"),
        soft: pair("#665E4E", "#B5AD9B"),
        petrol: pair("#2E5E62", "#7FB9B8"),
        onPetrol: pair("#FFFFFF", "#14202A"),
        straw: pair("#E8C27A", "#A98338"),
        table: pair("#EEE7D9", "#161D2B"),
        cloth: pair("#E3DAC8", "#1D2536"),
        paper: pair("#FFFEFA", "#F4EEDF"),
        panel: pair("#FBF9F3", "#222B3D"),
        stripe: pair("#F6F1E7", "#262F43"),
        line: pair("#D9CFBB", "#3A4458"),
        rose: pair("#9A2F52", "#E59AB4"),
        amber: pair("#7F5200", "#E7B868"),
        border: pair("#D9CFBB", "#4A566E"),
        "border.subtle": pair("#E6DECD", "#3A4458"),
        "fg.muted": pair("#665E4E", "#B5AD9B"),
        "bg.muted": pair("#EEE7D9", "#161D2B"),
        halo: pair("#FFFEFA", "#FFFEFA"),
      },
    },
  },
});

export const system = createSystem(defaultConfig, config);
