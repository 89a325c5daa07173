import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import './app/theme.css';
import { SharedPageShell } from './pages/shared/shared-page-shell';
import { applyTheme } from './shared/theme';

// The page of a shared view: /s/TOKEN. It knows the token and nothing else of the server.
applyTheme();
const token = window.location.pathname.split('/')[2] ?? '';
createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <SharedPageShell token={token} />
  </StrictMode>,
);
