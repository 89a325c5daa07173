import { useEffect, useState } from 'react';

type Theme = 'light' | 'dark';
const KEY = 'amber-knit-theme';

function initial(): Theme {
  const kept = localStorage.getItem(KEY);
  if (kept === 'light' || kept === 'dark') return kept;
  return window.matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light';
}

/** The chosen theme, kept in this browser; starts with the system's. */
export function useTheme(): [Theme, () => void] {
  const [theme, setTheme] = useState<Theme>(initial);
  useEffect(() => {
    document.documentElement.dataset.theme = theme;
  }, [theme]);
  return [
    theme,
    () => {
      const next = theme === 'light' ? 'dark' : 'light';
      localStorage.setItem(KEY, next);
      setTheme(next);
    },
  ];
}
