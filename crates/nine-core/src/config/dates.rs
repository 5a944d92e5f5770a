//! How dates are written where the person lives: `[dates]`.

use std::sync::Arc;

use serde::Deserialize;

use super::reader::ConfigReader;
use super::spanned::Spanned;
use crate::diagnostic::{Diagnostic, nearest};
use crate::facet::{DateForms, MonthNames, Order, languages};

#[derive(Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct DatesText {
    /// How a date such as 3.4.31 is read.
    order: Option<OrderText>,
    /// Languages in which months are read, such as en and de.
    months: Option<Vec<Spanned<String>>>,
}

#[derive(Deserialize, Clone, Copy)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
enum OrderText {
    #[serde(rename = "day first")]
    DayFirst,
    #[serde(rename = "month first")]
    MonthFirst,
}

impl DatesText {
    pub fn read(&self, reader: &mut ConfigReader) -> DateForms {
        let order = self.order.map(|order| match order {
            OrderText::DayFirst => Order::DayFirst,
            OrderText::MonthFirst => Order::MonthFirst,
        });
        let Some(wanted) = &self.months else {
            return DateForms { order, ..DateForms::default() };
        };
        let known = languages();
        for language in wanted.iter().filter(|language| !known.contains(&language.get_ref().as_str())) {
            let near = nearest(language.get_ref(), known.iter().copied());
            let help = match near {
                Some(near) => format!("did you mean `{near}`? Known are {}", known.join(" ")),
                None => format!("known are {}", known.join(" ")),
            };
            let text = format!("the months of `{}` are not known", language.get_ref());
            reader.find(Diagnostic::new(language.span(), text).help(help));
        }
        let wanted: Vec<&str> = wanted.iter().map(|language| language.get_ref().as_str()).collect();
        DateForms { order, months: Arc::new(MonthNames::of(&wanted)) }
    }
}
