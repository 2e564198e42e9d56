//! Clients: brand, designs, handovers, and work that people do by a link.

pub(crate) mod bulk_design;
pub(crate) mod clients;
pub(crate) mod design;
pub(crate) mod hand_work;
pub(crate) mod handovers;
