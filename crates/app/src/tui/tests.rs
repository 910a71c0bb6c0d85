#![cfg(test)]
