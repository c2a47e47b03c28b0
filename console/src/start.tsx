import { i18n } from '@lingui/core';
import { I18nProvider } from '@lingui/react';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { ThemeProvider } from '@mui/material/styles';
import { QueryClientProvider } from '@tanstack/react-query';
import { BrowserRouter } from 'react-router';
import { App } from './App';
import { Trouble } from './mind/api';
import { Asking } from './mind/asking';
import { theme } from './skin/theme';
import './skin/tokens.css';
import './skin/skin.css';

const client = new Asking({
  defaultOptions: {
    queries: {
      staleTime: 30_000,
      refetchOnWindowFocus: false,
      retry: (count, error) => count < 2 && (!(error instanceof Trouble) || error.status === 0 || error.status >= 500),
    },
  },
});

/** A sign-in may be ended from elsewhere: whatever is refused for it asks who is signed in, which shows the door. */
function onRefusal(error: unknown): void {
  if (error instanceof Trouble && error.code === 'not-signed-in') void client.invalidateQueries({ queryKey: ['me'] });
}
client.getQueryCache().subscribe((event) => {
  if (event.type === 'updated' && event.action.type === 'error' && event.query.queryKey[0] !== 'me')
    onRefusal(event.action.error);
});
client.getMutationCache().subscribe((event) => {
  if (event.type === 'updated' && event.action.type === 'error') onRefusal(event.action.error);
});

const root = document.getElementById('root');
if (root) {
  createRoot(root).render(
    <StrictMode>
      <I18nProvider i18n={i18n}>
        <ThemeProvider theme={theme} defaultMode="system">
          <QueryClientProvider client={client}>
            <BrowserRouter>
              <App />
            </BrowserRouter>
          </QueryClientProvider>
        </ThemeProvider>
      </I18nProvider>
    </StrictMode>,
  );
}
