//! Suppliers of other makes than Brindle: what one profile can say, another must be able to say
//! too.

pub mod farthing;
pub mod plashet;
pub mod weir;
