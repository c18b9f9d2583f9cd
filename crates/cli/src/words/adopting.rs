//! Why something of an install is not adopted.

use kanon_core::seal::adopted::PassedOver;

/// Why something is passed over.
pub fn passed_over(why: &PassedOver) -> String {
    match why {
        PassedOver::Unreadable(why) => why.clone(),
        PassedOver::OutOfPlay(why) => why.to_string(),
        PassedOver::OtherLoader { id, loader } => format!("{id} was made for the loader {loader}"),
        PassedOver::SwitchedOff(id) => format!("{id} is switched off"),
        PassedOver::SeveralTimes(id) => format!("{id} is there more than once; keep one of them and adopt again"),
    }
}
