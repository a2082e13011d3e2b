export { BUNDLE_FORMAT, packBundle, unpackBundle, type BundleFile } from "./bundle.js";
