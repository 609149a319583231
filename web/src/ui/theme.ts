import { create } from "zustand";

type Theme = "dusk" | "linen";

/** The theme that is shown. What draws on canvas watches it, to draw anew in its colours. */
export const useTheme = create<{ theme: Theme }>(() => ({
  theme: localStorage.getItem("theme") === "linen" ? "linen" : "dusk",
}));

const apply = (theme: Theme) => {
  document.documentElement.dataset.theme = theme;
};

/** Puts the theme on the page, now and whenever it changes. */
export function applyTheme() {
  apply(useTheme.getState().theme);
  useTheme.subscribe(({ theme }) => {
    apply(theme);
    localStorage.setItem("theme", theme);
  });
}

/** Changes between Dusk, for dim rooms, and Linen, for daylight. */
export function changeTheme() {
  useTheme.setState(({ theme }) => ({ theme: theme === "linen" ? "dusk" : "linen" }));
}
