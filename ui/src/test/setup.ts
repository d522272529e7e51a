/** A browser's database, new for every file of tests. */
import "fake-indexeddb/auto";
