import '@testing-library/jest-dom/vitest';
import { i18n } from '@lingui/core';
import { cleanup } from '@testing-library/react';
import { afterEach } from 'vitest';

i18n.loadAndActivate({ locale: 'en', messages: {} });
afterEach(cleanup);
