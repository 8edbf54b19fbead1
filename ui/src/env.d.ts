/// <reference types="vite/client" />
declare module "@fontsource-variable/geist-mono";
declare module "@fontsource-variable/hanken-grotesk";
