import './theme.scss';
import '@fontsource/ibm-plex-sans/latin-400.css';
import '@fontsource/ibm-plex-sans/latin-ext-400.css';
import '@fontsource/ibm-plex-sans/greek-400.css';
import '@fontsource/ibm-plex-sans/latin-500.css';
import '@fontsource/ibm-plex-sans/latin-600.css';
import '@fontsource/ibm-plex-mono/latin-400.css';
import '@fontsource/ibm-plex-mono/latin-ext-400.css';
import '@fontsource/ibm-plex-mono/latin-500.css';
import { QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter, Navigate, Route, Routes } from 'react-router';
import { queryClient } from './engine/server.ts';
import { DropEverywhere } from './frame/DropEverywhere.tsx';
import { Home } from './frame/Home.tsx';
import { OuterNet } from './frame/Net.tsx';
import { ProjectFrame } from './frame/ProjectFrame.tsx';
import { z } from 'zod';
import { db } from './store/db.ts';
import { sweepOrphans } from './store/keeping.ts';
import { remembered } from './store/remembered.ts';

document.documentElement.dataset['bsTheme'] = remembered('theme', z.enum(['light', 'dark']), 'light');

// The browser keeps the application itself; where it may not, it is fetched each time as before.
if (import.meta.env.PROD && 'serviceWorker' in navigator)
  addEventListener('load', () => void navigator.serviceWorker.register('/sw.js').catch(() => undefined));

// Left by a tab that was storing while another deleted its project.
void sweepOrphans(db).catch(() => undefined);

createRoot(document.getElementById('root')!).render(
  <StrictMode>
    <QueryClientProvider client={queryClient}>
      <BrowserRouter>
        <OuterNet>
          <DropEverywhere>
            <Routes>
              <Route path="/" element={<Home />} />
              <Route path="/projects/:id/:station" element={<ProjectFrame />} />
              <Route path="*" element={<Navigate to="/" replace />} />
            </Routes>
          </DropEverywhere>
        </OuterNet>
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
);
