#pragma once

namespace ilumbra {

class Commands;
class PictureView;
class Studio;

/// The menu "Place": handles of the picture, arranging, riding, hiding and locking.
void addPlaceCommands(Commands& commands, Studio& studio, PictureView& picture);

} // namespace ilumbra
