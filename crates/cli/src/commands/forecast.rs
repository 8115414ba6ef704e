//! `daxle forecast`: what a carry would give, without writing anything.

use daxle_core::carry::{CarryOptions, Inputs, Nowhere, carry};

use super::Ended;
use crate::args::{ForecastArgs, Format, Global};
use crate::config;
use crate::console::{Console, Failure};
use crate::progress::Progress;
use crate::show;
use crate::themes;

pub(crate) fn run(args: &ForecastArgs, global: &Global, console: &Console) -> Result<Ended, Failure> {
    let layout = config::layout(global.config.as_deref())?;
    let (pair, release) = themes::open_three(&args.sources, &args.release.release, &layout, console)?;
    let progress = Progress::new(console, "forecasting");
    let inputs = Inputs {
        base: pair.base.tree(),
        site: pair.site.tree(),
        release: release.tree(),
        layout: &layout,
        themes: themes::describe(&args.sources, &args.release.release, &pair, &release, None),
        vendor_notes: themes::vendor_notes(&pair, &release),
        notes_on: Default::default(),
        progress: &|done, all| progress.at(done, all),
        unnamed: String::new(),
    };
    let account = carry(&inputs, &CarryOptions::from(&args.merging), &Nowhere)?;
    drop(progress);
    if global.format == Format::Json {
        console.json(&show::wire::Forecast::new(&account))?;
    } else {
        console.result(&show::forecast::text(&account))?;
    }
    Ok(Ended::open_if(account.totals.open > 0))
}
