DROP TABLE pass_uses;
DROP TABLE pass_devices;
DROP TABLE passes;
