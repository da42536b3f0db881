export * from './common.ts';
export * from './session.ts';
export * from './register.ts';
export * from './mail.ts';
export * from './filing.ts';
export * from './mailing.ts';
export * from './today.ts';
