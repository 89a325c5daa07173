import { useState } from 'react';

type Theme = 'light' | 'dark';
const KEY = 'amber-knit-theme';

function initial(): Theme {
  const kept = localStorage.getItem(KEY);
  if (kept === 'light' || kept === 'dark') return kept;
  return window.matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light';
}

/** Puts the theme on the page before anything is drawn: colours of scans depend on it. */
export function applyTheme(theme = initial()): void {
  document.documentElement.dataset.theme = theme;
}

/** The chosen theme, kept in this browser; starts with the system's. */
export function useTheme(): [Theme, () => void] {
  const [theme, setTheme] = useState<Theme>(initial);
  return [
    theme,
    () => {
      const next = theme === 'light' ? 'dark' : 'light';
      localStorage.setItem(KEY, next);
      applyTheme(next);
      setTheme(next);
    },
  ];
}
