import '@fontsource-variable/bricolage-grotesque';
import '@fontsource-variable/instrument-sans';
import '@fontsource-variable/jetbrains-mono';
// Of the components that are used, and no other.
import '@mantine/core/styles/baseline.css';
import '@mantine/core/styles/default-css-variables.css';
import '@mantine/core/styles/global.css';
import '@mantine/core/styles/UnstyledButton.css';
import '@mantine/core/styles/VisuallyHidden.css';
import '@mantine/core/styles/Paper.css';
import '@mantine/core/styles/Overlay.css';
import '@mantine/core/styles/CloseButton.css';
import '@mantine/core/styles/Popover.css';
import '@mantine/core/styles/Menu.css';
import '@mantine/core/styles/ModalBase.css';
import '@mantine/core/styles/Modal.css';
// What comes later goes before what came earlier.
import './app/styles/base.css';
import './app/styles/frame.css';
import './app/styles/gather.css';
import './app/styles/shape.css';
import './app/styles/models.css';
import './app/styles/link.css';
import './app/styles/sheets.css';
import './app/styles/star.css';
import './app/styles/measure.css';
import './app/styles/probe.css';
import './app/styles/trace.css';
import './app/styles/targets.css';
import { MantineProvider } from '@mantine/core';
import { QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { BrowserRouter } from 'react-router';
import { queryClient } from './api/queries';
import { App } from './app/App';
import { theme } from './app/theme';

const root = document.getElementById('root');
if (!root) throw new Error('no root');
createRoot(root).render(
  <StrictMode>
    <MantineProvider theme={theme} defaultColorScheme="auto">
      <QueryClientProvider client={queryClient}>
        <BrowserRouter>
          <App />
        </BrowserRouter>
      </QueryClientProvider>
    </MantineProvider>
  </StrictMode>,
);
