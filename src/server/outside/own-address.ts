/** Where this server is reached from its own machine: by the stand-ins, which come as anybody outside would. */
export const ownAddress = (): string =>
	process.env.RIGID_OWN_ADDRESS ?? `http://127.0.0.1:${process.env.PORT ?? 3000}`;
