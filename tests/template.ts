/** Made once for a run of tests: the database of the small demo, which each test file gets a copy of. */
import { randomBytes } from 'node:crypto';
import pg from 'pg';
import type { TestProject } from 'vitest/node';
import { closeDb } from '../src/server/db/pool';
import { fillDatabase } from './fill';

declare module 'vitest' {
	interface ProvidedContext {
		/** The name of the database; null where no PostgreSQL was named: who needs one says so. */
		template: string | null;
	}
}

export default async function (project: TestProject) {
	const server = process.env.RIGID_TEST_SERVER;
	if (!server) return project.provide('template', null);
	const name = `template_${randomBytes(6).toString('hex')}`;
	const root = new pg.Client({ connectionString: server });
	await root.connect();
	await root.query(`create database ${name}`);
	await fillDatabase(server, name);
	// a database that somebody is connected to cannot be copied
	await closeDb();
	project.provide('template', name);
	return async () => {
		await root.query(`drop database ${name} with (force)`);
		await root.end();
	};
}
