/** The package's version; a test holds it against package.json. */
export const VERSION = "0.1.0";
