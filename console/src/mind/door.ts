/** Whose door this is: the page bears the agency's name, and where its logo is if it has one. */
const told = () => document.querySelector<HTMLMetaElement>('meta[name=agency]');

export const agencyName = () => told()?.content ?? '';
export const agencyLogo = () => told()?.dataset.logo ?? '';
