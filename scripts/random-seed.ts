import { configureGlobal } from 'fast-check';

/** Random tests repeat themselves, so that a change is judged by what it changed; RANDOM_SEED=n tries other cases. */
configureGlobal({ seed: Number(process.env.RANDOM_SEED ?? 20261127) });
