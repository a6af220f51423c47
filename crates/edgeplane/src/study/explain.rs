//! "What is this number, and why?" for characters, and "what does this hit do?" for abilities.
