/** Renders what speaks: every part says its words through the catalogue in use. */
import { i18n } from '@lingui/core';
import { I18nProvider } from '@lingui/react';
import { render as rendered } from '@testing-library/react';
import type { ReactNode } from 'react';

const wrapper = ({ children }: { children: ReactNode }) => <I18nProvider i18n={i18n}>{children}</I18nProvider>;

export const render = (shown: ReactNode) => rendered(shown, { wrapper });
