//! `lantern compare`.

use super::{Context, zone};
use crate::args::{Align, CompareArgs};
use crate::output::facts;
use crate::server::segment;
use crate::{show, time};
use anyhow::Result;
use jiff::Timestamp;
use lantern_api::{Compared, Comparison, Value};

pub(crate) async fn run(context: &Context, args: CompareArgs) -> Result<()> {
    let server = context.server()?;
    let zone = zone(&server).await?;
    let list: Vec<String> = std::iter::once(&args.reference).chain(&args.others).map(ToString::to_string).collect();
    let mut query = vec![("signals", list.join(","))];
    query.extend(args.span.begin(&zone, Timestamp::now())?.map(|at| ("from", at)));
    query.extend(args.span.end(&zone)?.map(|at| ("to", at)));
    if args.align == Align::Interpolated {
        query.push(("align", "interpolated".to_owned()));
    }
    query.extend(args.tolerance.map(|seconds| ("tolerance_s", seconds.to_string())));
    query.extend(args.shift.map(|seconds| ("shift_s", seconds.to_string())));
    let path = format!("sites/{}/compare", segment(&server.site_code().await?));
    let found: Comparison = server.get(&path, &query).await?;
    context.output.print(&found, |found| {
        let unit = &found.symbol;
        found.others.iter().map(|other| text(other, &found.reference, unit)).collect::<Vec<_>>().join("\n\n")
    })
}

/// Four significant digits of what has no unit.
fn figure(number: f64) -> String {
    if number == 0.0 {
        return "0".to_owned();
    }
    let digits = (3 - number.abs().log10().floor() as i32).clamp(0, 9);
    format!("{number:.*}", digits as usize).replace('-', "\u{2212}")
}

fn text(other: &Compared, reference: &str, unit: &str) -> String {
    let earlier = match other.shifted_s {
        0.0 => String::new(),
        seconds => format!(", {} earlier", time::age(seconds)),
    };
    let title = format!(
        "{}{earlier} compared with {reference}: {} of {} readings have one beside them",
        other.signal, other.pairs, other.of_reference
    );
    let Some(figures) = &other.figures else { return format!("{title}; too few to tell") };
    let difference = |number: f64| show::value(&Value::Number(number), figures.decimals);
    let with_unit = |number: f64| format!("{} {unit}", difference(number));
    let optional = |number: Option<f64>| number.map_or_else(|| "none: one of them does not vary".to_owned(), figure);
    let lag = match figures.lag_s {
        Some(lag) if lag != 0.0 => format!(
            "{} {}, correlation {} there",
            time::age(lag.abs()),
            if lag > 0.0 { "behind" } else { "ahead" },
            optional(figures.correlation_at_lag)
        ),
        Some(_) => "none".to_owned(),
        None => String::new(),
    };
    let line = figures.line.map_or_else(String::new, |line| {
        format!(
            "{reference} = {} × it {}, ± {}",
            figure(line.slope),
            show::added(line.intercept, with_unit),
            with_unit(line.residual)
        )
    });
    let facts = facts(&[
        ("bias", with_unit(figures.bias)),
        ("spread", with_unit(figures.spread)),
        ("RMS", with_unit(figures.rms)),
        ("differences", format!("{} to {}", difference(figures.least), with_unit(figures.greatest))),
        ("correlation", optional(figures.correlation)),
        ("lag", lag),
        ("line", line),
    ]);
    format!("{title}\n{facts}")
}
