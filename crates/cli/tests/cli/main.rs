//! The built program, driven on files in a temporary folder.
//!
//! * `demo`: the sample site's fixed, honest outcome
//! * `carry`: results, accounts, single files, swapping
//! * `sources`: folders, archives, packages, and hostile ones
//! * `verify`: proofs, settled markers, seeded faults
//! * `place`: packing, placing and the way back, also after a kill
//! * `report`: the page, also in a browser
//! * `separate`: change sets, overlays, child themes
//! * `settings`: shown, moved, held, exported
//! * `catalog`: synced, compiled, counted
//! * `settle`: answers to decisions, by option and from files
//! * `stock`: releases in stock, matching, notes
//! * `child`: overrides and child themes
//! * `wire`: the JSON, read back with every field named
//! * `guide`: the commands of the guide, and what is wrong with input
//! * `messages`: what a user sees when something is wrong

mod carry;
mod catalog;
mod child;
mod demo;
mod env;
mod guide;
mod messages;
mod place;
mod report;
mod separate;
mod settings;
mod settle;
mod sources;
mod stock;
mod verify;
mod wire;
