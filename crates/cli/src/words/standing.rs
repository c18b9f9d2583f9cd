//! Why something is to be done next.

use kanon_app::status::Why;

/// In a few words.
pub const fn because(why: Why) -> &'static str {
    match why {
        Why::NothingWished => "nothing is asked for yet: take over what is there",
        Why::NoCanon => "agree on what kanon.toml asks for",
        Why::StaleCanon => "agree on what is asked for now",
        Why::CutOff => "finish what was cut off, or take it back",
        Why::Off => "bring it in line",
        Why::NotLookedAt => "look at what nobody has looked at since",
        Why::ReleaseBehind => "let the players have the new canon",
        Why::ReleaseEnds => "sign anew before the signatures end",
        Why::Updates => "see what could be renewed",
    }
}
